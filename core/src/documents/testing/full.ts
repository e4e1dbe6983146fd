import { newQuery } from '../../query';
import type { Board, Design, Field, FieldType, Form, Query, Report, RoleDefinition } from '../../design';
import { field, OFFICE } from '../../design/testing/office';
import { formFromTable } from '../../form';

export const QUERY: Query = {
  type: 'query',
  id: 'q_l',
  label: 'Late',
  from: 't_loan',
  questions: [],
  joins: [{ id: 'j_who', at: null, by: { by: 'link', link: 'f_lBorrower' }, keepWithout: true }],
  where: [
    { is: 'so', expression: '"#f_lDue" < CURRENT_DATE' },
    { is: 'so', expression: '"#f_lState" = \'Out\'' },
  ],
  columns: [
    { id: 'due', label: 'Due', expression: '"#f_lDue"' },
    { id: 'who', label: 'Who', expression: '"#f_lBorrower"."#f_bName"' },
  ],
  group: null,
  keep: [],
  unlike: false,
  sort: [{ column: 'due', descending: true }],
  first: null,
  chart: { as: 'points', across: 'due', up: 'due', split: 'who' },
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
/** A form that names fields in every way there is. */
const FORM: Form = {
  ...formFromTable(OFFICE, OFFICE.tables[1]!, 'o_l'),
  conditions: ['"#f_lState" = \'Out\'', '"#f_lBorrower"."#f_bActive"'],
  order: [{ field: 'f_lDue', descending: true }],
  finds: ['f_lNote'],
};
const SHOWN: Form = {
  ...FORM,
  query: 'q_l',
  tabOrder: ['f_lDue', 'f_lBorrower'],
  parts: [
    ...FORM.parts.map((part) => {
      if (part.part === 'cell' && part.field === 'f_lFee')
        return { ...part, readIf: '"#f_lState" = \'Back\'', hideIf: '"#f_lBorrower"."#f_bActive"' };
      if (part.part !== 'subform') return part;
      return {
        ...part,
        tabOrder: ['f_fAmount'],
        conditions: ['"#f_fAmount" > 0'],
        order: [{ field: 'f_fAmount', descending: false }],
        sums: [{ field: 'f_fAmount', total: 'average' as const }],
      };
    }),
    { part: 'picture', id: 'i_logo', width: 3, about: 'Logo', source: 'data:image/png;base64,iVBORw0KGgo=' },
    { part: 'button', id: 'b_print', label: 'Print', width: 3, does: { act: 'print', report: 'p_l' } },
    {
      part: 'button',
      id: 'b_fines',
      label: 'Forgive',
      width: 3,
      does: {
        act: 'change',
        rows: 'belonging',
        of: 'f_fLoan',
        conditions: ['"#f_fAmount" > 1'],
        sets: [{ field: 'f_fAmount', expression: '"#f_fLoan"."#f_lFee"' }],
      },
    },
    {
      part: 'worked',
      id: 'w_rest',
      label: 'Left to pay',
      width: 3,
      expression: '"#f_lFee" - SUM("#f_fLoan"."#f_fAmount")',
      result: { kind: 'money', places: 2 },
    },
  ],
};
const ROLE: RoleDefinition = {
  type: 'role',
  id: 'g_counter',
  label: 'Counter',
  screens: ['o_l', 'h_day'],
  tables: [
    {
      table: 't_borrower',
      read: true,
      add: true,
      change: true,
      delete: false,
      own: null,
      conditions: ['"#f_bActive"'],
    },
    { table: 't_fine', read: true, add: false, change: false, delete: false, own: null, conditions: [] },
  ],
  fields: [{ field: 'f_lNote', people: 'hidden' }],
};
const BOARD: Board = {
  type: 'board',
  id: 'h_day',
  label: 'The day',
  parts: [
    { part: 'note', id: 'n_day', width: 12, height: 1, look: 'heading', text: 'Out today' },
    { part: 'number', id: 'k_out', width: 3, height: 3, screen: 'o_l' },
    { part: 'list', id: 'k_loans', width: 9, height: 8, label: 'Loans out', screen: 'o_l' },
    { part: 'chart', id: 'k_late', width: 6, height: 8, query: 'q_l' },
  ],
  filters: [
    {
      by: 'row',
      id: 'v_who',
      label: 'Borrower',
      table: 't_borrower',
      ways: [{ part: 'k_loans', way: ['f_lBorrower'] }],
    },
    {
      by: 'days',
      id: 'v_due',
      label: 'Due',
      starts: 'month',
      ways: [
        { part: 'k_loans', way: ['f_lDue'] },
        { part: 'k_out', way: null },
      ],
    },
  ],
};
/** Asks something, and is answered by the row in which a lookup stands. */
const ACTIVE: Query = {
  ...newQuery('q_b', 'Active', { id: 't_borrower' }),
  questions: [
    {
      id: 'a_active',
      name: 'wanted',
      label: 'Active ones?',
      answer: { kind: 'tick' },
      start: 'TRUE',
      needed: true,
    },
  ],
  where: [{ is: 'so', expression: '"#f_bActive" = "#a_active"' }],
};
const asked = (other: Field): Field =>
  other.id === 'f_lBorrower' && other.type.kind === 'lookup'
    ? {
        ...other,
        type: { ...other.type, query: 'q_b', answers: [{ question: 'a_active', by: '"#f_lNote" IS NULL' }] },
      }
    : other;
/** The office with a document of every type. */
export const FULL: Design = {
  ...OFFICE,
  tables: OFFICE.tables.map((item) =>
    item.id === 't_loan'
      ? {
          ...item,
          fields: [...item.fields.map(asked), worked],
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
  queries: [QUERY, ACTIVE],
  forms: [SHOWN],
  boards: [BOARD],
  reports: [REPORT],
  roles: [ROLE],
};
