import type { Field, Report } from '../design';
import { cellsOf, formFromTable, formProblems, subformsOf } from '../form';
import { reportProblems } from '../report';
import { field } from '../design/testing/office';
import { couldShow, withFields } from './everywhere';
import { documentProblems } from './sorts';
import { FULL, REPORT } from './testing/full';

const FRESH = field('fWhy', 'why', { kind: 'text' });
const WITH = {
  ...FULL,
  tables: FULL.tables.map((table) =>
    table.id === 't_fine' ? { ...table, fields: [...table.fields, FRESH] } : table,
  ),
};
const [, , FINE] = WITH.tables as [never, never, (typeof WITH.tables)[0]];
const BY_FINE: Report = {
  ...REPORT,
  id: 'p_f',
  label: 'Fines',
  source: { kind: 'table', id: 't_fine' },
  columns: [{ column: 'f_fAmount', label: 'Amount', sum: true }],
  group: null,
};
const DESIGN = {
  ...WITH,
  forms: [
    ...WITH.forms,
    formFromTable(FULL, FULL.tables[2]!, 'o_f'),
    formFromTable(FULL, FULL.tables[0]!, 'o_b'),
  ],
  reports: [...WITH.reports, BY_FINE],
};

describe('a field that has come to a table', () => {
  const fields: readonly Field[] = [FRESH];

  it('could be put wherever rows of the table are shown without it', () => {
    expect(couldShow(DESIGN, FINE, fields).map(({ id }) => id)).toEqual(['o_l', 'o_f', 'p_f']);
    expect(couldShow(DESIGN, FINE, [])).toEqual([]);
  });

  it('is put there once, and what is shown already stays where it is', () => {
    for (const document of couldShow(DESIGN, FINE, fields)) {
      const next = withFields(DESIGN, document, FINE, fields);
      expect(documentProblems(DESIGN, next)).withContext(document.id).toEqual([]);
      expect(withFields(DESIGN, next, FINE, fields)).toBe(next);
    }
    const [loans, fines] = DESIGN.forms;
    const [rows] = subformsOf(withFields(DESIGN, loans!, FINE, fields).parts);
    expect(cellsOf(rows!.parts).map((cell) => cell.field)).toEqual(['f_fNo', 'f_fAmount', 'f_fWhy']);
    const own = withFields(DESIGN, fines!, FINE, fields);
    expect(cellsOf(own.parts).at(-1)!.field).toBe('f_fWhy');
    expect(formProblems(DESIGN, own)).toEqual([]);
    const report = withFields(DESIGN, BY_FINE, FINE, fields);
    expect(report.columns.map(({ column }) => column)).toEqual(['f_fAmount', 'f_fWhy']);
    expect(reportProblems(DESIGN, report)).toEqual([]);
  });

  it('is not put into the rows around which it would stand twice: a link leads to the row around', () => {
    const link = FINE.fields.find(({ id }) => id === 'f_fLoan')!;
    expect(couldShow(DESIGN, FINE, [link]).map(({ id }) => id)).toEqual(['p_f']);
  });
});
