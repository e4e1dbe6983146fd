import { OFFICE } from '../design/testing/office';
import { plainField, plainTable } from '../design';
import {
  addressProblem,
  againMatch,
  askedAgain,
  Census,
  planAgain,
  proposeKnown,
  proposeNew,
  sourceOf,
  undecided,
  type BringPlan,
  type Cell,
  type SheetColumn,
  type SheetStyle,
} from '.';

const STYLE: SheetStyle = { encoding: 'utf-8', delimiter: ',', worksheet: 0, heading: 1 };
const ASKED = { every: 'asked', gone: 'stay' } as const;

const column = (heading: string, values: readonly Cell[]): SheetColumn => {
  const census = new Census();
  values.forEach((value) => census.add(value));
  return { heading, facts: census.facts(), lookups: [] };
};
let made = 0;
const makeId = (letter: string): string => `${letter}_again${made++}`;

/** A list whose `code` tells its rows, and one whose `part` does. */
const coded = [column('code', ['a', 'b']), column('part', ['Pad', 'Reed']), column('price', ['1', '2'])];
const named = [column('fits', ['Flute', 'Flute']), column('part', ['Pad', 'Reed'])];
const blind = [column('fits', ['Flute', 'Flute']), column('since', ['2026-01-01', '2026-01-01'])];

const planFor = (columns: readonly SheetColumn[]): BringPlan =>
  proposeNew(OFFICE, 'Part', 'Parts', columns, STYLE, makeId);
const tableOf = (plan: BringPlan) => {
  if (plan.into.table !== 'new') throw new Error('A table of its own.');
  return plan.into.made;
};
const headings = (columns: readonly SheetColumn[]): string[] => columns.map(({ heading }) => heading);

describe('an outside source', () => {
  it('has an address that begins with http and opens nothing', () => {
    for (const good of [
      'https://example.org/prices.csv',
      'http://10.0.0.7:8080/x?day=1',
      ' https://a.example ',
    ])
      expect(addressProblem(good)).withContext(good).toBeNull();
    for (const [bad, words] of [
      ['', /no address/],
      ['example.org/prices.csv', /no address/],
      ['file:///etc/passwd', /Only addresses/],
      ['javascript:alert(1)', /Only addresses/],
      ['https://anna@example.org/', /name or a password/],
      ['https://:secret@example.org/', /name or a password/],
      [`https://example.org/${'a'.repeat(2000)}`, /at most 2000/],
    ] as const)
      expect(addressProblem(bad)).withContext(bad).toMatch(words);
  });

  it('tells its rows by the key of its table, or by the first column that can', () => {
    const byKey = askedAgain(planFor(coded), tableOf(planFor(coded)), coded, ASKED);
    expect(againMatch(tableOf(byKey), byKey)).toEqual(tableOf(byKey).key);
    expect(undecided(OFFICE, tableOf(byKey), byKey, headings(coded))).toBeNull();

    const proposed = planFor(named);
    expect(againMatch(tableOf(proposed), proposed)).toEqual([]);
    const byName = askedAgain(proposed, tableOf(proposed), named, ASKED);
    const part = tableOf(byName).fields.find(({ label }) => label === 'part')!;
    expect([part.noTwoAlike, againMatch(tableOf(byName), byName)]).toEqual([true, [part.id]]);

    const untold = askedAgain(planFor(blind), tableOf(planFor(blind)), blind, ASKED);
    expect(undecided(OFFICE, tableOf(untold), untold, headings(blind))).toMatch(
      /No column tells the rows apart/,
    );
    // Brought in once, it needs nothing of the kind.
    const once = askedAgain(untold, tableOf(untold), blind, null);
    expect([once.again, undecided(OFFICE, tableOf(once), once, headings(blind))]).toEqual([undefined, null]);
  });

  it('changes rows of a table that is there, and never only adds to it', () => {
    const code = {
      ...plainField('f_code', 'code', 'code', { kind: 'text', most: null }),
      alwaysFilled: true,
    };
    const price = plainField('f_price', 'price', 'price', { kind: 'wholeNumber' });
    const table = plainTable('t_part', 'part', 'Part', 'Parts', [code, price], ['f_code']);
    const design = { ...OFFICE, tables: [...OFFICE.tables, table] };
    const proposed = { ...proposeKnown(design, table, coded, STYLE, null), mode: 'add' as const, match: [] };
    const plan = askedAgain(proposed, table, coded, ASKED);
    expect([plan.mode, plan.match]).toEqual(['both', ['f_code']]);
    const adding: BringPlan = { ...plan, mode: 'add' };
    expect(undecided(design, table, adding, headings(coded))).toMatch(/added once more each time/);
  });

  it('finds its columns by their headings, wherever they stand then', () => {
    const plan = askedAgain(planFor(coded), tableOf(planFor(coded)), coded, ASKED);
    const table = tableOf(plan);
    const source = sourceOf(plan, ASKED, table, headings(coded));
    expect([source.mode, source.match, source.blanks]).toEqual(['both', table.key, 'empty']);
    const moved = planAgain(source, table, ['new', 'price', 'part', 'code'], STYLE);
    if (typeof moved === 'string') throw new Error(moved);
    expect(moved.columns.map((one) => one.column)).toEqual([3, 2, 1]);
    expect(moved.into).toEqual({ table: 'known', id: table.id });
    expect(moved.again).toEqual(ASKED);

    expect(planAgain(source, table, ['code', 'part', 'cost'], STYLE)).toMatch(/no column “price” any more/);
    // A field that was dropped meanwhile is no reason to bring nothing; one that tells the rows is.
    const without = (label: string) => ({
      ...table,
      fields: table.fields.filter((one) => one.label !== label),
    });
    const rest = planAgain(source, without('price'), headings(coded), STYLE);
    expect(typeof rest === 'string' ? rest : rest.columns.length).toBe(2);
    expect(planAgain(source, without('code'), headings(coded), STYLE)).toMatch(/by which its rows are told/);
  });
});
