import type { Form, Table } from '../design';
import { OFFICE } from '../design/testing/office';
import { BRITISH } from '../values';
import { inLanes, lanesBy, cardsFrom, laysOut, lanesOf, MOST_LANES, namedValues } from './lanes';
import { formFromTable } from './generate';
import { asList } from './list';
import { formProblems } from './problems';
import { formSort } from './sort';
import { cellsOf, mapParts } from './tree';

const table = (id: string): Table => OFFICE.tables.find((other) => other.id === id)!;
const LOANS = table('t_loan');
const field = (id: string) => LOANS.fields.find((other) => other.id === id)!;
const LIST = asList(formFromTable(OFFICE, LOANS, 'o_loans', 'Loans'));
const CARDS = cardsFrom(LIST, LOANS, 'f_lState', false);
const STATE = field('f_lState');

/** The list with one of its cells otherwise. */
const withCell = (form: Form, id: string, rest: object | null): Form => ({
  ...form,
  parts: mapParts(form.parts, (part) =>
    part.part === 'cell' && part.field === id ? rest && { ...part, ...rest } : part,
  ),
});

describe('a list of cards in columns', () => {
  it('is made of a list in one step: a few fields to be read on each card, one that says in which column it stands', () => {
    expect(formProblems(OFFICE, CARDS)).toEqual([]);
    expect(CARDS.list).toEqual({ starts: 'rows', saves: 'row', cards: 'f_lState' });
    expect(CARDS.rights).toEqual({ add: true, change: true, delete: false });
    expect(
      cellsOf(CARDS.parts.filter(({ part }) => part === 'cell')).map((cell) => [cell.field, cell.people]),
    ).toEqual([
      ['f_lNo', 'read'],
      ['f_lBorrower', 'read'],
      ['f_lFrom', 'read'],
      ['f_lDue', 'read'],
      ['f_lFee', 'read'],
      ['f_lState', 'type'],
    ]);
    expect(lanesBy(CARDS, LOANS)).toBe(STATE);
    // Fields that somebody has chosen all stay; what follows keeps its own.
    const kept = cardsFrom(LIST, LOANS, 'f_lState', true);
    expect(cellsOf(kept.parts).length).toBe(cellsOf(LIST.parts).length);
    expect(kept.parts.filter(({ part }) => part === 'subform')).toEqual(
      LIST.parts.filter(({ part }) => part === 'subform'),
    );
  });

  it('takes its field onto the cards where it was not there, and into what people type', () => {
    const bare = withCell(LIST, 'f_lState', null);
    const made = inLanes(bare, LOANS, 'f_lState');
    expect(cellsOf(made.parts).at(-1)).toEqual(
      jasmine.objectContaining({ field: 'f_lState', people: 'type' }),
    );
    const shut = withCell(LIST, 'f_lState', { people: 'read' });
    expect(lanesBy(inLanes(shut, LOANS, 'f_lState'), LOANS)).toBe(STATE);
    expect(
      cellsOf(inLanes(shut, LOANS, 'f_lState').parts).find((cell) => cell.field === 'f_lState')!.people,
    ).toBe('type');
    // A line in which one row is found shows no cards.
    const line: Form = { ...LIST, list: { starts: 'line', saves: 'row' } };
    expect(inLanes(line, LOANS, 'f_lState').list!.starts).toBe('rows');
    const { list: _, ...record } = LIST;
    expect(inLanes(record, LOANS, 'f_lState')).toEqual(record);
  });

  it('is laid out by choices, lookups and ticks that people give, and by nothing else', () => {
    const by = OFFICE.tables.flatMap(({ fields }) => fields.filter(laysOut).map(({ type }) => type.kind));
    expect(new Set(by)).toEqual(new Set(['choice', 'lookup', 'tick']));
    const kinds = OFFICE.tables.flatMap(({ fields }) =>
      fields.filter((one) => !laysOut(one)).map(({ type }) => type.kind),
    );
    expect(kinds.length).toBeGreaterThan(5);
    expect(kinds.filter((kind) => ['choice', 'lookup', 'tick'].includes(kind))).toEqual([]);
  });

  it('is a list where its field is not on it, is not there for some rows, or lays out nothing any more, and says so', () => {
    const problem = ['The field whose values are the columns of Loans is not on it, or lays out no rows.'];
    const broken: Form[] = [
      withCell(CARDS, 'f_lState', null),
      withCell(CARDS, 'f_lState', { hideIf: '"#f_lFee" > 3' }),
      { ...CARDS, list: { ...CARDS.list!, cards: 'f_lFee' } },
      { ...CARDS, list: { ...CARDS.list!, cards: 'f_gone' } },
    ];
    for (const form of broken) {
      expect(lanesBy(form, LOANS)).toBeNull();
      expect(formProblems(OFFICE, form)).toEqual(problem);
    }
    expect(lanesBy(LIST, LOANS)).toBeNull();
    // Lists that follow have no cards.
    expect(lanesBy(CARDS, table('t_fine'))).toBeNull();
  });

  it('is a list again when its field is dropped, or what says where that is seen', () => {
    const gone = new Set(['f_lState']);
    expect(formSort.use(CARDS, gone)!.use).toContain('the columns in which its cards stand');
    const without = formSort.without(CARDS, gone)!;
    expect(without.list).toEqual({ starts: 'rows', saves: 'row' });
    const hidden = withCell(CARDS, 'f_lState', { hideIf: '"#f_lFee" > 3' });
    expect(formSort.without(hidden, new Set(['f_lFee']))!.list).toEqual({ starts: 'rows', saves: 'row' });
    expect(formSort.without(CARDS, new Set(['f_lFee']))!.list).toEqual(CARDS.list!);
    expect(formSort.use(CARDS, new Set(['f_lFee']))!.use).not.toContain('columns');
  });

  it('has a column for what is empty, for each value, and for what holds none of them', () => {
    const loose = { ...STATE, alwaysFilled: false };
    const lanes = lanesOf(loose, namedValues(loose, BRITISH)!);
    expect(lanes.map(({ label, value }) => [label, value])).toEqual([
      ['No state', null],
      ...(STATE.type.kind === 'choice' ? STATE.type.choices : []).map((choice) => [choice, choice]),
      ['Any other state', undefined],
    ]);
    expect(new Set(lanes.map(({ id }) => id)).size).toBe(lanes.length);
    expect(lanes[0]!.condition).toBe('"#f_lState" IS NULL');
    expect(lanes[1]!.condition).toBe('"#f_lState" = \'Out\'');
    // What is always filled has no column to put what is empty into.
    const filled = lanesOf({ ...STATE, alwaysFilled: true }, [["it's", "it's"]]);
    expect(filled.map(({ value, condition }) => [value, condition])).toEqual([
      ["it's", "\"#f_lState\" = 'it''s'"],
      [undefined, '"#f_lState" NOT IN (\'it\'\'s\') OR "#f_lState" IS NULL'],
    ]);
  });

  it('lays out by rows that a lookup leads to, and by yes and no', () => {
    const [, first, rest] = lanesOf({ ...field('f_lBorrower'), alwaysFilled: false }, [[7, 'Quill, Ada']]);
    expect([first!.condition, rest!.condition]).toEqual(['"#f_lBorrower" = 7', '"#f_lBorrower" NOT IN (7)']);
    const none = lanesOf({ ...field('f_lBorrower'), alwaysFilled: false }, []);
    expect(none.map(({ condition }) => condition)).toEqual([
      '"#f_lBorrower" IS NULL',
      '"#f_lBorrower" IS NOT NULL',
    ]);
    const active = table('t_borrower').fields.find(({ id }) => id === 'f_bActive')!;
    const ticks = lanesOf({ ...active, alwaysFilled: false }, namedValues(active, BRITISH)!);
    expect(ticks.map(({ label, value, condition }) => [label, value, condition])).toEqual([
      ['No active', null, '"#f_bActive" IS NULL'],
      ['Active: Yes', true, '"#f_bActive"'],
      ['Active: No', false, 'NOT "#f_bActive"'],
    ]);
    expect(namedValues(field('f_lBorrower'), BRITISH)).toBeNull();
  });

  it('has so many columns at most: the rest stands in one', () => {
    const values = Array.from({ length: MOST_LANES + 6 }, (_, i) => [i, `Number ${i}`] as const);
    const lanes = lanesOf({ ...field('f_lBorrower'), alwaysFilled: true }, values);
    expect(lanes.length).toBe(MOST_LANES + 1);
    expect(lanes.at(-1)!.condition).toContain(`NOT IN (0, 1, 2,`);
    expect(lanes.at(-1)!.condition).not.toContain(`, ${MOST_LANES},`);
  });
});
