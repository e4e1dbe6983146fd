import 'temporal-polyfill/global';
import type { Board, BoardFilter, Design, RoleDefinition } from '../design';
import { field, lookup, OFFICE } from '../design/testing/office';
import { FULL } from '../documents/testing/full';
import { asList, formFromTable } from '../form';
import { bindCondition } from '../expression';
import { catalogOf } from '../design';
import type { Viewer } from '../people';
import { daysOf, shiftedDays, type Span } from './days';
import {
  isOnScreen,
  narrowedBy,
  tableOn,
  wayTo,
  waysFrom,
  type Chosen,
  type RowsPart,
  type ScreenPart,
} from './filters';
import { newQuery } from '../query';
import { boardFrom, drawnPart, filtersFor, partLabel, putBeside, resized, screenPart } from './make';
import { boardSort } from './sort';
import { boardOf, boardsOf } from './there';

const [BORROWERS, LOANS, FINES] = OFFICE.tables as [
  Design['tables'][number],
  Design['tables'][number],
  Design['tables'][number],
];
const STAMPED = {
  ...LOANS,
  fields: [field('lMade', 'made', { kind: 'stamp', of: 'createdAt' } as never), ...LOANS.fields],
};
const screens = [
  asList(formFromTable(OFFICE, LOANS, 'o_loans', 'Loans')),
  asList(formFromTable(OFFICE, FINES, 'o_fines', 'Fines')),
  formFromTable(OFFICE, BORROWERS, 'o_people', 'Borrowers'),
];
const DESIGN: Design = { ...OFFICE, forms: screens };
let made = 0;
const newId = (): string => `k_${++made}`;
const row = (table: string, ways: BoardFilter['ways'] = []): BoardFilter => ({
  by: 'row',
  id: 'v_row',
  label: 'Row',
  table,
  ways,
});
const days = (ways: BoardFilter['ways'] = []): BoardFilter => ({
  by: 'days',
  id: 'v_days',
  label: 'Days',
  starts: 'all',
  ways,
});
const board = (filters: BoardFilter[]): Board => ({
  type: 'board',
  id: 'h_x',
  label: 'X',
  parts: screens.map((form, i) => ({ ...screenPart('list', form, `k_${form.id}`), width: 4 + i })),
  filters,
});
const part = (of: Board, screen: string): ScreenPart =>
  of.parts.filter(isOnScreen).find((other) => other.screen === screen)!;
const chosen = (rest: Partial<Chosen>): Chosen => ({
  filter: 'v_row',
  key: null,
  from: null,
  to: null,
  ...rest,
});

describe('days of a board', () => {
  // The proposal of TC39 for dates, as its polyfill works it out, is the other engine here.
  const plain = (text: string): Temporal.PlainDate => Temporal.PlainDate.from(text);

  it('are those of the week, month, quarter or year in which a day lies, for every day of five years', () => {
    let day = plain('2023-12-25');
    for (let i = 0; i < 1900; i++, day = day.add({ days: 1 })) {
      const monday = day.subtract({ days: day.dayOfWeek - 1 });
      const first = day.with({ day: 1 });
      const quarter = first.subtract({ months: (day.month - 1) % 3 });
      const wanted: Record<Exclude<Span, 'all'>, [Temporal.PlainDate, Temporal.PlainDate]> = {
        today: [day, day],
        week: [monday, monday.add({ days: 6 })],
        month: [first, first.with({ day: day.daysInMonth })],
        quarter: [quarter, quarter.add({ months: 3 }).subtract({ days: 1 })],
        year: [day.with({ month: 1, day: 1 }), day.with({ month: 12, day: 31 })],
      };
      for (const [span, [from, to]] of Object.entries(wanted) as [Span, Temporal.PlainDate[]][])
        expect(daysOf(span, String(day)))
          .withContext(`${span} of ${String(day)}`)
          .toEqual({ from: String(from), to: String(to) });
    }
    expect(daysOf('all', '2026-11-28')).toEqual({ from: null, to: null });
  });

  it('go on to the next and back again, whole months by months', () => {
    const next = (span: Span, today: string) => shiftedDays(daysOf(span, today), 1);
    expect(next('month', '2026-01-31')).toEqual({ from: '2026-02-01', to: '2026-02-28' });
    expect(next('quarter', '2026-11-28')).toEqual({ from: '2027-01-01', to: '2027-03-31' });
    expect(next('week', '2026-12-31')).toEqual({ from: '2027-01-04', to: '2027-01-10' });
    expect(next('today', '2028-02-28')).toEqual({ from: '2028-02-29', to: '2028-02-29' });
    for (const span of ['today', 'week', 'month', 'quarter', 'year'] as const)
      expect(shiftedDays(next(span, '2026-11-28'), -1)).toEqual(daysOf(span, '2026-11-28'));
    const open = { from: '2026-01-01', to: null };
    expect(shiftedDays(open, 1)).toEqual(open);
    const turned = { from: '2026-02-01', to: '2026-01-31' };
    expect(shiftedDays(turned, 1)).toEqual(turned);
  });
});

describe('a filter of a board', () => {
  it('finds its way by links, the shortest first, and leaves alone what none leads from', () => {
    const all = board([row('t_borrower')]);
    const [filter] = all.filters as [BoardFilter];
    expect(wayTo(DESIGN, filter, part(all, 'o_loans'))).toEqual(['f_lBorrower']);
    expect(wayTo(DESIGN, filter, part(all, 'o_fines'))).toEqual(['f_fLoan', 'f_lBorrower']);
    expect(wayTo(DESIGN, filter, part(all, 'o_people'))).toBeNull();
    expect(wayTo(DESIGN, days(), part(all, 'o_loans'))).toEqual(['f_lFrom']);
    expect(wayTo(DESIGN, days(), part(all, 'o_fines'))).toEqual(['f_fLoan', 'f_lFrom']);
  });

  it('goes by a day that people type before one that is stamped', () => {
    const design = { ...DESIGN, tables: [BORROWERS, STAMPED, FINES] };
    const found = waysFrom(design, days(), STAMPED).map(({ ids }) => ids.join('.'));
    expect(found).toEqual(['f_lFrom', 'f_lDue', 'f_lMade']);
  });

  it('goes as the builder says, also not at all; a way that no longer leads there narrows nothing', () => {
    const said = (way: string[] | null) => days([{ part: 'k_o_loans', way }]);
    const loans = part(board([]), 'o_loans');
    expect(wayTo(DESIGN, said(['f_lDue']), loans)).toEqual(['f_lDue']);
    expect(wayTo(DESIGN, said(null), loans)).toBeNull();
    for (const way of [['f_lNote'], ['f_gone'], ['f_lBorrower', 'f_lDue'], ['f_lDue', 'f_lFrom']])
      expect(wayTo(DESIGN, said(way), loans)).toBeNull();
  });

  it('makes conditions that hold together, over the rows of each part that it narrows', () => {
    const all = board([row('t_borrower'), days()]);
    const asked = [
      chosen({ key: 7 }),
      chosen({ filter: 'v_days', from: '2026-11-01', to: '2026-11-30' }),
      chosen({ filter: 'v_none', key: 1 }),
    ];
    const conditions = (screen: string) => narrowedBy(DESIGN, all, part(all, screen), asked);
    expect(conditions('o_loans')).toEqual([
      '"#f_lBorrower" = 7',
      '"#f_lFrom" >= DATE \'2026-11-01\'',
      '"#f_lFrom" <= DATE \'2026-11-30\'',
    ]);
    expect(conditions('o_people')).toEqual([]);
    for (const screen of ['o_loans', 'o_fines'])
      for (const condition of conditions(screen)) {
        const table = tableOn(DESIGN, part(all, screen))!.id;
        expect(() => bindCondition(condition, { catalog: catalogOf(DESIGN), table })).not.toThrow();
      }
    expect(narrowedBy(DESIGN, all, part(all, 'o_loans'), [chosen({}), chosen({ filter: 'v_days' })])).toEqual(
      [],
    );
  });

  it('writes a text key as text, whatever is in it', () => {
    const all = board([row('t_borrower')]);
    expect(narrowedBy(DESIGN, all, part(all, 'o_loans'), [chosen({ key: 'O\'Neil" OR 1=1' })])).toEqual([
      `"#f_lBorrower" = 'O''Neil" OR 1=1'`,
    ]);
  });

  it('takes moments by the clocks of the office', () => {
    const design: Design = {
      ...DESIGN,
      settings: { ...DESIGN.settings, timeZone: 'Europe/London' },
      tables: [BORROWERS, STAMPED, FINES],
    };
    const all = board([days([{ part: 'k_o_loans', way: ['f_lMade'] }])]);
    const asked = [chosen({ filter: 'v_days', from: '2026-07-01', to: '2026-07-01' })];
    // British Summer Time is an hour ahead of UTC (IANA time zone database).
    expect(narrowedBy(design, all, part(all, 'o_loans'), asked)).toEqual([
      '"#f_lMade" >= TIMESTAMP \'2026-06-30T23:00:00Z\'',
      '"#f_lMade" <= TIMESTAMP \'2026-07-01T22:59:59Z\'',
    ]);
  });
});

describe('a board', () => {
  it('is made of screens in one step: a number for what is watched, and the row that most of them lead to', () => {
    const watched = screens.map((form, i) =>
      i === 0 ? { ...form, list: { ...form.list!, watch: true } } : form,
    );
    const design = { ...DESIGN, forms: watched };
    const all = boardFrom(design, 'h_new', 'The day', watched, newId);
    expect(all.parts.map((at) => [at.part, isOnScreen(at) && at.screen, at.width])).toEqual([
      ['number', 'o_loans', 3],
      ['list', 'o_loans', 6],
      ['list', 'o_fines', 6],
      ['list', 'o_people', 12],
    ]);
    expect(all.filters.map((filter) => filter.by === 'row' && filter.table)).toEqual(['t_borrower']);
    expect(boardSort.problems(design, all)).toEqual([]);
    expect(boardFrom(design, 'h_new', 'One', [watched[1]!], newId).filters).toEqual([]);
    expect(filtersFor(design, all, newId).map(({ label }) => label)).toEqual(['Days', 'Loan']);
  });

  it('is arranged: a part beside another, in sizes that can be read', () => {
    const { parts } = board([]);
    const ids = (list: Board['parts']): string[] => list.map(({ id }) => id);
    expect(ids(putBeside(parts, 'k_o_people', 'k_o_loans', 'before'))).toEqual([
      'k_o_people',
      'k_o_loans',
      'k_o_fines',
    ]);
    expect(ids(putBeside(parts, 'k_o_loans', 'k_o_fines', 'behind'))).toEqual([
      'k_o_fines',
      'k_o_loans',
      'k_o_people',
    ]);
    for (const [id, other] of [
      ['k_o_loans', 'k_o_loans'],
      ['k_none', 'k_o_loans'],
    ] as const)
      expect(putBeside(parts, id, other, 'behind')).toEqual(parts);
    expect(resized(parts[0]!, { width: 40, height: 0 })).toEqual(
      jasmine.objectContaining({ width: 12, height: 1 }),
    );
    expect(resized(parts[0]!, { width: 1 }).width).toBe(2);
    expect(partLabel(DESIGN, parts[0]!)).toBe('Loans');
    expect(partLabel({ forms: [], queries: [] }, parts[0]!)).toBe('A screen that is gone');
  });

  it('says what of it is gone, and does without', () => {
    const all = board([row('t_borrower', [{ part: 'k_o_fines', way: ['f_fLoan', 'f_lBorrower'] }]), days()]);
    expect(boardSort.problems(DESIGN, all)).toEqual([]);
    expect(boardSort.problems({ ...DESIGN, forms: screens.slice(1) }, all).join()).toContain('screen');
    expect(boardSort.problems({ ...DESIGN, tables: [LOANS, FINES] }, all).join()).toContain('filter Row');
    const lost = board([days([{ part: 'k_gone', way: null }])]);
    expect(boardSort.problems(DESIGN, lost).join()).toContain('filter Days');
    const twice = { ...all, parts: [...all.parts, all.parts[0]!] };
    expect(boardSort.problems(DESIGN, twice).join()).toContain('one id');
    expect(boardSort.use(all, new Set(['o_loans']))!.use).toBe('a part of it');
    expect(boardSort.use(all, new Set(['t_borrower']))!.use).toBe('its filter Row');
    const without = boardSort.without(all, new Set(['f_fLoan', 'o_loans']))!;
    expect(without.parts.map(({ id }) => id)).toEqual(['k_o_fines', 'k_o_people']);
    // It is not narrowed by another way that nobody asked for.
    expect(without.filters[0]!.ways).toEqual([{ part: 'k_o_fines', way: null }]);
    expect(boardSort.without(all, new Set(['t_borrower']))!.filters.map(({ id }) => id)).toEqual(['v_days']);
  });

  it('shows what queries give, and does without those that are gone', () => {
    const query = { ...newQuery('q_x', 'Out by day', LOANS), chart: undefined };
    const design: Design = {
      ...DESIGN,
      queries: [query, { ...query, id: 'q_sql', written: { sql: 'SELECT 1', columns: [] } }],
    };
    const chart = drawnPart('chart', query, 'k_chart');
    const inSql = drawnPart('pivot', { ...query, id: 'q_sql' }, 'k_sql');
    const all = { ...board([days(), row('t_borrower')]), parts: [chart, inSql] };
    expect(boardSort.problems(design, all)).toEqual([]);
    expect(boardSort.problems(DESIGN, all)).toEqual(['A query on this board is no longer there.']);
    expect(boardSort.use(all, new Set(['q_x']))!.use).toBe('a part of it');
    expect(boardSort.without(all, new Set(['q_x']))!.parts).toEqual([inSql]);
    expect(partLabel(design, chart)).toBe('Out by day');
    expect(partLabel(DESIGN, chart)).toBe('A query that is gone');
    // Rows that SQL gives are not known: nothing narrows them.
    expect(tableOn(design, chart as RowsPart)!.id).toBe('t_loan');
    expect(tableOn(design, inSql as RowsPart)).toBeNull();
    const seen = boardOf(design, { id: 'a', name: 'A', role: 'builder', duty: null }, all)!;
    expect(seen.filters.map(({ ways }) => ways.map(({ way }) => way?.join('.') ?? null))).toEqual([
      [jasmine.any(String) as never, null],
      ['f_lBorrower', null],
    ]);
    expect(seen.parts.map((part) => 'label' in part && part.label)).toEqual(['Out by day', 'Out by day']);
  });
});

describe('a board for somebody', () => {
  const role = (rest: Partial<RoleDefinition>): RoleDefinition => ({
    type: 'role',
    id: 'g_x',
    label: 'X',
    screens: ['h_x', 'o_loans', 'o_fines', 'o_people'],
    tables: [],
    fields: [],
    ...rest,
  });
  const limits = { read: true, add: true, change: true, delete: true, own: null, conditions: [] };
  const all = board([row('t_borrower'), days()]);
  const viewer = (duty: RoleDefinition | null): Omit<Viewer, 'screen'> => ({
    id: 'a_1',
    name: 'Ada',
    role: 'colleague',
    duty,
  });
  const seen = (duty: RoleDefinition | null, design: Design = DESIGN): Board | null =>
    boardOf(design, viewer(duty), all);
  const ways = (there: Board | null, filter: string) =>
    there?.filters
      .find(({ id }) => id === filter)
      ?.ways.flatMap(({ part: id, way }) => (way ? [[id, way.join('.')]] : []));

  it('says of each part by which way it is narrowed', () => {
    expect(ways(seen(null), 'v_row')).toEqual([
      ['k_o_loans', 'f_lBorrower'],
      ['k_o_fines', 'f_fLoan.f_lBorrower'],
    ]);
    expect(seen(null)!.parts).toEqual(all.parts);
  });

  it('is there with the parts whose screens are, or not at all', () => {
    expect(seen(role({ screens: ['o_loans'] }))).toBeNull();
    expect(seen(role({ screens: ['h_x', 'o_loans'] }))!.parts.map(({ id }) => id)).toEqual(['k_o_loans']);
    const design = { ...DESIGN, boards: [all] };
    expect(boardsOf(design, viewer(role({ screens: ['h_x'] })))).toEqual([]);
    expect(seen(role({ screens: ['h_x'] }))).toBeNull();
    expect(boardsOf(design, viewer(role({ screens: ['h_x', 'o_fines'] })))).toEqual([all]);
    expect(boardsOf(design, viewer(null))).toEqual([all]);
  });

  it('is narrowed by nothing that is kept from her', () => {
    const hidden = (id: string) => role({ fields: [{ field: id, people: 'hidden' }] });
    expect(ways(seen(hidden('f_lBorrower')), 'v_row')).toBeUndefined();
    expect(ways(seen(hidden('f_fLoan')), 'v_row')).toEqual([['k_o_loans', 'f_lBorrower']]);
    expect(ways(seen(hidden('f_lFrom')), 'v_days')).toBeUndefined();
    const shut = role({ tables: [{ ...limits, table: 't_borrower', read: false }] });
    expect(ways(seen(shut), 'v_row')).toBeUndefined();
    // Which loans of others a fine belongs to is not told, nor therefore whose they are.
    const own = role({ tables: [{ ...limits, table: 't_loan', conditions: ['"#f_lFee" > 1'] }] });
    expect(ways(seen(own), 'v_row')).toEqual([['k_o_loans', 'f_lBorrower']]);
  });

  it('is not narrowed by a field that is not there for some rows of the screen', () => {
    const [loans, ...others] = screens as [Design['forms'][number], ...Design['forms']];
    const hides = {
      ...loans,
      parts: loans.parts.map((at) =>
        at.part === 'cell' && at.field === 'f_lBorrower' ? { ...at, hideIf: '"#f_lFee" > 1' } : at,
      ),
    };
    const design = { ...DESIGN, forms: [hides, ...others] };
    expect(ways(seen(null, design), 'v_row')).toEqual([['k_o_fines', 'f_fLoan.f_lBorrower']]);
  });

  it('stands in the design with every other document', () => {
    const [full] = FULL.boards as [Board];
    expect(boardSort.problems(FULL, full)).toEqual([]);
    expect(boardOf(FULL, viewer(null), full)!.filters.length).toBe(2);
    expect(lookup('loan').kind).toBe('lookup');
  });
});
