import type { Design, FieldType, Query, Report } from '../../design';
import { field, OFFICE } from '../../design/testing/office';
import { formFromTable } from '../../form';

export const QUERY: Query = {
  type: 'query',
  id: 'q_l',
  label: 'Late',
  from: 't_loan',
  with: [{ path: ['f_lBorrower'], keepWithout: true }],
  where: ['"#f_lDue" < CURRENT_DATE', '"#f_lState" = \'Out\''],
  columns: [
    { id: 'due', label: 'Due', expression: '"#f_lDue"' },
    { id: 'who', label: 'Who', expression: '"#f_lBorrower"."#f_bName"' },
  ],
  group: null,
  sort: [{ column: 'due', descending: true }],
  first: null,
};
export const REPORT: Report = {
  type: 'report',
  id: 'p_l',
  label: 'Loans',
  source: { kind: 'table', id: 't_loan' },
  columns: [
    { column: 'f_lDue', label: 'Due', sum: false },
    { column: 'f_lFee', label: 'Fee', sum: true },
  ],
  group: { column: 'f_lDue', newPage: false },
  sort: null,
  paper: 'A4 tall',
};
const worked = field('lLate', 'late', {
  kind: 'workedOut',
  expression: 'CURRENT_DATE - "#f_lDue"',
  result: { kind: 'wholeNumber' },
} as FieldType);
/** The office with a document of every type. */
export const FULL: Design = {
  ...OFFICE,
  tables: OFFICE.tables.map((item) =>
    item.id === 't_loan'
      ? {
          ...item,
          fields: [...item.fields, worked],
          order: [{ field: 'f_lDue', descending: true }],
          rules: [
            {
              id: 'r_t',
              expression: '"#f_lFee" IS NULL OR "#f_lDue" IS NOT NULL',
              message: 'Due {"#f_lDue"}?',
            },
          ],
        }
      : item,
  ),
  queries: [QUERY],
  forms: [formFromTable(OFFICE, OFFICE.tables[1]!, 'o_l')],
  reports: [REPORT],
};
