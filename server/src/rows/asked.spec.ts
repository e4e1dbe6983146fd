import {
  conditionShapes,
  shapedCondition,
  valueKind,
  type ConditionShape,
  type Table,
} from '@heathridge/core/design';
import { Office, TODAY } from '../testing/office';

type Scalar = string | number | boolean;
type Cell = Scalar | null | readonly [Scalar, string | null];

const valueOf = (cell: Cell): Scalar | null => (Array.isArray(cell) ? cell[0] : cell) as Scalar | null;
/** Decimals travel as text and compare as numbers; dates and times compare as the texts they are. */
const compare = (a: Scalar, b: Scalar): number => {
  const [x, y] = [a, b].map((value) => (/^-?\d+(\.\d+)?$/.test(String(value)) ? Number(value) : value));
  return x! < y! ? -1 : x! > y! ? 1 : 0;
};

/** What a shape means, said over again in the plainest way; the shapes about emptiness aside, nothing fits what is empty. */
const MEANS: Readonly<Record<string, (value: Scalar, given: readonly Scalar[]) => boolean>> = {
  filled: () => true,
  '=': (value, [a]) => compare(value, a!) === 0,
  '<>': (value, [a]) => compare(value, a!) !== 0,
  '<': (value, [a]) => compare(value, a!) < 0,
  '<=': (value, [a]) => compare(value, a!) <= 0,
  '>': (value, [a]) => compare(value, a!) > 0,
  '>=': (value, [a]) => compare(value, a!) >= 0,
  between: (value, [a, b]) => compare(value, a!) >= 0 && compare(value, b!) <= 0,
  oneOf: (value, given) => given.includes(value),
  past: (value) => value < TODAY,
  coming: (value) => value > TODAY,
  today: (value) => value === TODAY,
  thisMonth: (value) => String(value).startsWith(TODAY.slice(0, 7)),
  thisYear: (value) => String(value).startsWith(TODAY.slice(0, 4)),
  yes: (value) => value === true,
  no: (value) => value === false,
  holds: (value, [a]) => String(value).toLowerCase().includes(String(a).toLowerCase()),
  begins: (value, [a]) => String(value).toLowerCase().startsWith(String(a).toLowerCase()),
};

const fits = ({ id }: ConditionShape, cell: Cell, given: readonly Scalar[]): boolean => {
  const value = valueOf(cell);
  return id === 'empty' ? value === null : value !== null && MEANS[id]!(value, given);
};

/** Values for a shape from those that are there. */
function given({ id, values }: ConditionShape, there: readonly Scalar[]): Scalar[] {
  if (values === 0) return [];
  const two = [0.3, 0.6].map((share) => there[Math.floor(there.length * share)]!).sort(compare);
  if (id === 'holds') return [String(two[0]).slice(1, 4)];
  if (id === 'begins') return [String(two[0]).slice(0, 3)];
  return values === 1 ? two.slice(0, 1) : two;
}

describe('what is asked of rows', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open()));
  afterAll(() => office.close());

  const ask = (table: string, request: object) =>
    office.call('POST', `tables/${table}/window`, { start: 0, limit: 1000, ...request });
  async function all({ id }: Table, request: object = {}): Promise<{ rows: Cell[][]; total: number }> {
    const rows: Cell[][] = [];
    for (;;) {
      const { body } = await ask(id, { ...request, start: rows.length });
      rows.push(...(body.rows as Cell[][]));
      if (rows.length >= body.total || body.rows.length === 0) return { rows, total: body.total };
    }
  }

  it('leaves those rows over that a plain comparison does, for every field and shape of the demo', async () => {
    const seen = new Set<string>();
    for (const table of office.design.tables) {
      const { rows } = await all(table);
      for (const [i, field] of table.fields.entries()) {
        const there = rows.flatMap((row) => valueOf(row[i]!) ?? []);
        if (there.length === 0) continue;
        for (const shape of conditionShapes(field.type)) {
          const values = given(shape, there);
          const condition = shapedCondition(`"#${field.id}"`, field.type, shape, values);
          const { rows: left, total } = await all(table, { conditions: [condition] });
          const expected = rows.filter((row) => fits(shape, row[i]!, values));
          expect(total).withContext(condition).toBe(expected.length);
          expect(left).withContext(condition).toEqual(expected);
          if (expected.length > 0 && expected.length < rows.length)
            seen.add(`${valueKind(field.type).kind} ${shape.id}`);
        }
      }
    }
    // Each of these was put to a test that some rows pass and others fail.
    const kinds = ['text holds', 'text begins', 'date between', 'date past', 'date thisMonth', 'date empty'];
    const more = [
      'money between',
      'choice oneOf',
      'lookup oneOf',
      'tick no',
      'dateTime <',
      'runningNumber >',
    ];
    for (const what of [...kinds, ...more]) expect([...seen]).toContain(what);
  });

  it('asks about fields of the row that a lookup leads to, and joins all with a search', async () => {
    const hire = office.design.tables.find(({ id }) => id === 't_hire')!;
    const place = (id: string): number => hire.fields.findIndex((field) => field.id === id);
    const { rows: found } = await all(hire, { search: 'a' });
    const conditions = [
      '"#f_hireMonthlyFee" * 2 > 30',
      '"#f_hireReturnedOn" IS NULL OR "#f_hireNote" IS NOT NULL',
      `"#f_hirePlayer"."#f_playerSurname" LIKE 'O%'`,
    ];
    const { rows: left } = await all(hire, { search: 'a', conditions });
    const [fee, back, note, player] = [
      place('f_hireMonthlyFee'),
      place('f_hireReturnedOn'),
      place('f_hireNote'),
      place('f_hirePlayer'),
    ];
    const expected = found.filter(
      (row) =>
        Number(row[fee]) * 2 > 30 &&
        (row[back] === null || row[note] !== null) &&
        /^O/.test((row[player] as [number, string])[1]),
    );
    expect(left).toEqual(expected);
    expect([left.length > 0, left.length < found.length]).toEqual([true, true]);
  });

  const refused: [string, object, RegExp][] = [
    ['a condition that ends too early', { conditions: ['"#f_hireMonthlyFee" >'] }, /ends too early/],
    ['what is no condition', { conditions: ['"#f_hireMonthlyFee" + 1'] }, /condition/],
    ['a field that is gone', { conditions: ['"#f_gone" IS NULL'] }, /no longer|no field/],
    ['a day that is none', { conditions: [`"#f_hireDueBack" > DATE '2026-02-31'`] }, /not a date/],
    ['an empty condition', { conditions: [''] }, /./],
    ['more conditions than anybody reads', { conditions: Array.from({ length: 21 }, () => 'TRUE') }, /20/],
    [
      'an order by a field that is gone',
      { sort: [{ field: 'f_gone', descending: false }] },
      /no longer there/,
    ],
    [
      'an order by six',
      { sort: Array.from({ length: 6 }, () => ({ field: 'f_hireNote', descending: true })) },
      /5/,
    ],
  ];
  for (const [what, request, message] of refused)
    it(`refuses ${what} in words`, async () => {
      const { status, body } = await ask('t_hire', request);
      expect(status).toBe(400);
      expect(body.detail).toMatch(message);
    });
});
