import type { Design, Form, FormWorked } from '../design';
import { catalogOf } from '../design';
import { OFFICE } from '../design/testing/office';
import { toStored } from '../expression';
import type { Value } from '../values';
import { formFromTable } from './generate';
import { levelOf, type Level } from './level';
import { reckon, reckoningOf, type Beyond, type Standing } from './reckon';

const LOAN = OFFICE.tables[1]!;
const NOW = { today: '2026-11-27', now: '2026-11-27T09:00:00Z' };
const PLAIN = formFromTable(OFFICE, LOAN, 'o_loan');

const worked = (id: string, expression: string, table = 't_loan'): FormWorked => ({
  part: 'worked',
  id,
  label: id,
  width: 6,
  expression: toStored(expression, catalogOf(OFFICE), table),
  result: { kind: 'text', most: null },
});

const formWith = (...parts: FormWorked[]): Form => ({ ...PLAIN, parts: [...PLAIN.parts, ...parts] });

interface Row {
  readonly values: Readonly<Record<string, Value>>;
  readonly beyond?: Beyond;
  readonly fines?: readonly Row[];
}

function standing(level: Level, row: Row, around: Standing | null = null): Standing {
  const self: Standing = {
    level,
    around,
    value: (id) => (id in row.values ? row.values[id] : row.beyond?.cells[id]),
    beyond: ({ field: { id } }) => row.beyond?.links[id],
    rows: (inner) => row.fines?.map((fine) => standing(inner, fine, self)),
  };
  return self;
}

describe('what is worked out on a form', () => {
  const of = (form: Form, row: Row, design: Design = OFFICE) => {
    const level = levelOf(design, form)!;
    const reckoning = reckoningOf(design, level);
    return {
      level,
      reckoning,
      values: reckoning.of(level).map(({ bound }) => reckon(bound, standing(level, row), NOW)),
    };
  };
  const FINES = [
    { values: { f_fAmount: '0.10' } },
    { values: { f_fAmount: '0.20' } },
    { values: { f_fAmount: null } },
  ];

  it('adds up the rows of a subform, exactly', () => {
    const form = formWith(
      worked('w_sum', 'SUM(fines.amount)'),
      worked('w_many', 'COUNT(fines)'),
      worked('w_rest', 'fee - COALESCE(SUM(fines.amount), 0)'),
      worked('w_big', 'COUNT(fines) FILTER (WHERE fines.amount > 0.1)'),
    );
    expect(of(form, { values: { f_lFee: '1.00' }, fines: FINES }).values).toEqual([
      { value: '0.30' },
      { value: 3 },
      { value: '0.70' },
      { value: 1 },
    ]);
    expect(of(form, { values: { f_lFee: '1.00' }, fines: [] }).values.map((item) => item?.value)).toEqual([
      null,
      0,
      '1.00',
      0,
    ]);
  });

  it('knows nothing of rows that are not all at hand', () => {
    const form = formWith(worked('w_sum', 'SUM(fines.amount)'));
    expect(of(form, { values: {} }).values).toEqual([null]);
    const [subform] = PLAIN.parts.filter((part) => part.part === 'subform');
    const some = { ...subform!, conditions: ['"#f_fAmount" > 1'] };
    const filtered = { ...form, parts: form.parts.map((part) => (part === subform ? some : part)) };
    expect(of(filtered, { values: {}, fines: FINES }).values).toEqual([null]);
  });

  it('reads rows beyond the form as far as it must, and asks for no more', () => {
    const form = formWith(worked('w_who', "borrower.name || ', ' || number"));
    const beyond = { cells: {}, links: { f_lBorrower: { cells: { f_bName: 'Ada' }, links: {} } } };
    const { reckoning, level, values } = of(form, { values: { f_lNo: 1000, f_lBorrower: 1 }, beyond });
    expect(values).toEqual([{ value: 'Ada, 1000' }]);
    const need = reckoning.need(level);
    expect([...need.fields]).toEqual([]);
    expect([...need.links.keys()]).toEqual(['f_lBorrower']);
    expect([...need.links.get('f_lBorrower')!.need.fields]).toEqual(['f_bName']);
    // Nothing is known of the row it leads to.
    expect(of(form, { values: { f_lNo: 1000, f_lBorrower: 1 } }).values).toEqual([null]);
    // It leads nowhere.
    const nowhere = { cells: {}, links: { f_lBorrower: null } };
    expect(of(form, { values: { f_lNo: 1000, f_lBorrower: null }, beyond: nowhere }).values).toEqual([
      { value: null },
    ]);
  });

  it('reads the row around it on the form itself', () => {
    const [subform] = PLAIN.parts.filter((part) => part.part === 'subform');
    const inner = worked('w_share', 'amount * 100 / NULLIF(loan.fee, 0)', 't_fine');
    const form = {
      ...PLAIN,
      parts: PLAIN.parts.map((part) =>
        part === subform ? { ...subform, parts: [...subform.parts, inner] } : part,
      ),
    };
    const level = levelOf(OFFICE, form)!;
    const reckoning = reckoningOf(OFFICE, level);
    const [fines] = level.levels;
    expect([...reckoning.need(fines!).links]).toEqual([]);
    const loan = standing(level, { values: { f_lFee: '4.00' } });
    const { bound } = reckoning.of(fines!)[0]!;
    const share = reckon(bound, standing(fines!, { values: { f_fAmount: '1.00' } }, loan), NOW);
    expect(Number(share?.value)).toBe(25);
  });

  it('brings along what of a row the form does not show', () => {
    const shown = PLAIN.parts.filter((part) => part.part !== 'cell' || part.field !== 'f_lFee');
    const form = { ...PLAIN, parts: [...shown, worked('w_fee', 'fee * 2')] };
    const { reckoning, level, values } = of(form, {
      values: {},
      beyond: { cells: { f_lFee: '1.25' }, links: {} },
    });
    expect([...reckoning.need(level).fields]).toEqual(['f_lFee']);
    expect(values).toEqual([{ value: '2.50' }]);
  });

  it('says what cannot be worked out, and leaves out what cannot be read', () => {
    const form = formWith(worked('w_cast', 'CAST(note AS INTEGER)'));
    expect(of(form, { values: { f_lNote: 'words' } }).values).toEqual([{ value: null, fault: 'cast' }]);
    const gone = formWith({ ...worked('w_gone', 'fee'), expression: '"#f_gone" + 1' });
    expect(of(gone, { values: {} }).values).toEqual([]);
  });
});
