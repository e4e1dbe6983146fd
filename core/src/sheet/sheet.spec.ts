import { OFFICE } from '../design/testing/office';
import { plainField, plainTable, type Design } from '../design';
import { BRITISH, readWrittenDate } from '../values';
import {
  addableField,
  canBeChoice,
  Census,
  distance,
  fitting,
  giveType,
  harmless,
  headingRow,
  headingsOf,
  leaveOut,
  matchHeadings,
  missingFields,
  nameField,
  nameTable,
  nearest,
  numberText,
  proposedType,
  readBlock,
  proposeKnown,
  proposeNew,
  readCell,
  readColumn,
  sendInto,
  sheetReader,
  takeIn,
  takes,
  toldStyles,
  typeAs,
  undecided,
  unharmed,
  writeBlock,
  type BringPlan,
  type Cell,
  type SheetColumn,
  type SheetStyle,
} from '.';
import fc from 'fast-check';

const STYLE: SheetStyle = { encoding: 'utf-8', delimiter: ',', worksheet: 0, heading: 1 };

const column = (heading: string, values: readonly Cell[]): SheetColumn => {
  const census = new Census();
  values.forEach((value) => census.add(value));
  return { heading, facts: census.facts(), lookups: [] };
};
const office: Design = OFFICE;
let made = 0;
const makeId = (letter: string): string => `${letter}_made${made++}`;

describe('reading cells of a sheet', () => {
  it('keeps of a number the 15 digits that a spreadsheet means', () => {
    expect(numberText(0.1 + 0.2)).toBe('0.3');
    expect(numberText(1e21)).toBe('1000000000000000000000');
    expect(numberText(1.5e-7)).toBe('0.00000015');
    expect(numberText(-42)).toBe('-42');
  });

  it('reads what came as a number whatever marks the column has, and texts by its marks', () => {
    const locale = { ...BRITISH, decimalMark: ',', groupMark: '.' } as const;
    const kind = { kind: 'decimal', places: 2 } as const;
    expect(readCell(kind, 1234.5, locale, '2026-01-01')).toEqual({ ok: true, value: '1234.50' });
    expect(readCell(kind, '1.234,5', locale, '2026-01-01')).toEqual({ ok: true, value: '1234.50' });
    expect(readCell(kind, 1.005, locale, '2026-01-01').ok).toBeFalse();
    expect(readCell({ kind: 'tick' }, true, locale, '2026-01-01')).toEqual({ ok: true, value: true });
  });

  it('adds nothing from today: a day without its year is no date of a sheet', () => {
    expect(readCell({ kind: 'date' }, '4 nov', BRITISH, '2026-01-01').ok).toBeFalse();
    expect(readCell({ kind: 'date' }, 'today', BRITISH, '2026-01-01').ok).toBeFalse();
  });

  // ISO 8601-1:2019, 5.2.2 to 5.2.4: calendar, ordinal and week dates, extended and basic; examples of the standard
  // as they are widely quoted (12 April 1985 is day 102 and a Friday of week 15).
  it('reads calendar, ordinal and week dates of ISO 8601', () => {
    for (const text of ['1985-04-12', '19850412', '1985-102', '1985102', '1985-W15-5', '1985W155'])
      expect(readWrittenDate(text, BRITISH)).withContext(text).toBe('1985-04-12');
    expect(readWrittenDate('2009-W01-1', BRITISH)).toBe('2008-12-29');
    expect(readWrittenDate('2009-W53-7', BRITISH)).toBe('2010-01-03');
    for (const text of [
      '2010-W53-1',
      '2010-W00-1',
      '2010-W01-8',
      '2010-366',
      '2010-000',
      '20100230',
      '2010-W011',
    ])
      expect(readWrittenDate(text, BRITISH)).withContext(text).toBeNull();
    expect(readWrittenDate('2012-366', BRITISH)).toBe('2012-12-31');
  });
});

describe('texts that a spreadsheet would run', () => {
  it('are made harmless, and numbers are left', () => {
    for (const text of ['=1+1', '+SUM(A1)', '-1+cmd', '@x', '\t=1', '＝1'])
      expect(harmless(text)).toBe(`'${text}`);
    for (const text of ['-5', '+44', '3,50', 'plain', '', "it's"]) expect(harmless(text)).toBe(text);
  });

  it('come back as they were, whatever they are', () => {
    const text = fc.oneof(fc.string(), fc.stringMatching(/^'{0,3}[=+@-]?[a-z0-9]{0,4}$/));
    const back = fc.property(text, (value) => unharmed(harmless(value)) === value);
    const safe = fc.property(text, (value) => harmless(value).startsWith("'") || !/^[=@]/.test(value));
    expect(() => fc.assert(back, { seed: 20261130 })).not.toThrow();
    expect(() => fc.assert(safe, { seed: 20261130 })).not.toThrow();
  });
});

describe('headings', () => {
  it('are the first row that is filled across, below any title', () => {
    const data = [
      ['1', 'Ann', '4'],
      ['2', 'Bo', '5'],
    ];
    expect(headingRow([['Number', 'Name', 'Age'], ...data])).toBe(1);
    expect(headingRow([['Players, 2026'], [], ['Number', 'Name', 'Age'], ...data])).toBe(3);
    expect(headingRow(data)).toBe(0);
    expect(
      headingRow([
        ['Name', 'Name'],
        ['a', 'b'],
      ]),
    ).toBe(0);
  });

  it('are told apart where they stand twice or are missing', () => {
    expect(headingsOf([' Name ', 'name', '', null, 'a\nb'], 6)).toEqual([
      'Name',
      'name 2',
      'Column 3',
      'Column 4',
      'a b',
      'Column 6',
    ]);
    expect(headingsOf(null, 2)).toEqual(['Column 1', 'Column 2']);
  });

  it('name fields by label or name, whatever their case and signs, each once', () => {
    const table = plainTable('t_x', 'crop', 'Crop', 'Crops', [
      plainField('f_no', 'no', 'Number', { kind: 'runningNumber', prefix: '', width: 0, first: 1 }),
      plainField('f_sown', 'sown_on', 'Sown on', { kind: 'date' }),
    ]);
    const found = matchHeadings(['SOWN ON', 'sown_on', 'no', 'Other'], table).map(
      (field) => field?.id ?? null,
    );
    expect(found).toEqual(['f_sown', null, 'f_no', null]);
  });
});

describe('the census of a column', () => {
  it('tells numbers, dates, times and ticks, with what speaks for each way of writing them', () => {
    const money = column('Fee', ['£1,200.50', '£3', '12.5', '']).facts;
    expect(money.numbers).toEqual(
      jasmine.objectContaining({ point: 3, pointPlaces: 2, currency: '£', greatest: 1200.5 }),
    );
    expect(money.empty).toBe(1);
    const comma = column('Fee', ['1.234,5', '7,25']).facts.numbers;
    expect([comma.point, comma.comma, comma.onlyComma]).toEqual([0, 2, 2]);
    expect(column('Code', ['007', '12']).facts.numbers.zeros).toBe(1);
    const dates = column('Born', ['03/04/2014', '25/04/2014', '2014-04-03', '3 Apr 2014']).facts.dates;
    expect([dates.dmy, dates.mdy, dates.onlyDayFirst, dates.either]).toEqual([4, 3, 1, 1]);
    expect(column('At', ['14:30', '9:05 pm', 'noon']).facts.times).toBe(2);
    expect(column('On', ['yes', 'No', 'x', 'perhaps']).facts.ticks).toBe(3);
  });

  it('tells doubles, blanks at ends and the commonest values', () => {
    const facts = column('Name', ['Ann', 'Bo ', 'Ann', 'a\nb']).facts;
    expect([facts.unique, facts.padded, facts.lines, facts.distinct]).toEqual([false, 1, true, 3]);
    expect(facts.common[0]).toEqual(['Ann', 2]);
    expect(column('Name', ['a', 'b']).facts.unique).toBeTrue();
  });

  it('counts all rows of a column with more values than it tells apart', () => {
    const facts = column(
      'Number',
      Array.from({ length: 12_000 }, (_, i) => `${i + 1}`),
    ).facts;
    expect([facts.numbers.point, facts.filled, facts.more, facts.unique]).toEqual([
      12_000,
      12_000,
      true,
      true,
    ]);
    const texts = column(
      'Name',
      Array.from({ length: 12_000 }, (_, i) => `n${i}`),
    ).facts;
    expect([texts.numbers.point, texts.filled]).toEqual([0, 12_000]);
  });
});

describe('how columns are read', () => {
  const orders = (...columns: (readonly string[])[]): (string | null)[] =>
    toldStyles(
      columns.map((values, i) => column(`C${i}`, values)),
      BRITISH,
    ).map(({ dateOrder }) => dateOrder);

  it('is told by their own values, else by those of their neighbours, and is else asked', () => {
    expect(orders(['03/04/2014', '25/04/2014'])).toEqual(['dmy']);
    expect(orders(['03/04/2014', '04/25/2014'])).toEqual(['mdy']);
    expect(orders(['03/04/2014', '05/06/2014'])).toEqual([null]);
    expect(orders(['03/04/2014'], ['25/04/2014'])).toEqual(['dmy', 'dmy']);
    expect(orders(['25/04/2014', '04/25/2014'])).toEqual([null]);
    expect(orders(['03/04/2014'], ['25/04/2014'], ['04/25/2014'])).toEqual([null, 'dmy', 'mdy']);
    expect(orders(['2014-04-03'])).toEqual(['dmy']);
    // The same day in either order tells nothing, and need not.
    expect(orders(['04/04/2014'])).toEqual(['dmy']);
  });

  it('takes the mark before decimals that most values have', () => {
    const marks = toldStyles([column('A', ['1,5', '2,25']), column('B', ['1,234'])], BRITISH);
    expect(marks.map(({ decimalMark }) => decimalMark)).toEqual([',', ',']);
    expect(toldStyles([column('B', ['1,234'])], BRITISH)[0]!.asksMark).toBeTrue();
  });

  it('proposes the kind that nearly all values fit', () => {
    const kind = (heading: string, values: readonly Cell[]): string => {
      const one = column(heading, values);
      return proposedType(one, toldStyles([one], BRITISH)[0]!, office).kind;
    };
    expect(kind('Born', ['3 Apr 2014', '2014-04-03'])).toBe('date');
    expect(kind('At', ['2014-04-03 14:30', '2015-01-01 08:00'])).toBe('dateTime');
    expect(kind('Open', ['14:30', '08:00'])).toBe('time');
    expect(kind('Fee', ['£3', '£4.50'])).toBe('money');
    expect(kind('Width', [1.5, 2])).toBe('decimal');
    expect(kind('Pages', ['12', '1,200'])).toBe('wholeNumber');
    expect(kind('Postcode', ['01234', '12345'])).toBe('text');
    expect(kind('Long', ['1234567890123456', '2'])).toBe('text');
    expect(kind('Active', ['yes', 'no', 'x'])).toBe('tick');
    expect(kind('Notes', ['a\nb', 'c'])).toBe('longText');
    expect(
      kind(
        'Size',
        Array.from({ length: 30 }, (_, i) => ['S', 'M', 'L'][i % 3]!),
      ),
    ).toBe('choice');
    expect(
      kind(
        'Size',
        Array.from({ length: 30 }, (_, i) => ['S', 's', 'L'][i % 3]!),
      ),
    ).toBe('text');
    expect(kind('Nothing', ['', null])).toBe('text');
    // 19 of 20 are enough; 17 of 20 are not.
    expect(kind('N', [...Array.from({ length: 19 }, (_, i) => `${i}`), 'many'])).toBe('wholeNumber');
    expect(kind('N', [...Array.from({ length: 17 }, (_, i) => `${i}`), 'a', 'b', 'c'])).toBe('text');
  });

  it('counts the values that fit a kind', () => {
    const one = column('Fee', ['1.5', '2', 'x']);
    const [style] = toldStyles([one], BRITISH);
    expect(fitting('decimal', one, style!, 1)).toBe(2);
    expect(fitting('decimal', one, style!, 0)).toBe(0);
    expect(fitting('text', one, style!)).toBe(3);
  });
});

describe('a plan for a sheet', () => {
  const columns = [
    column('Member no', ['11', '12', '13']),
    column('Name', ['Ann', 'Bo', 'Cy']),
    column('Born', ['25/04/2014', '03/04/2014', '']),
  ];
  const fresh = (): BringPlan => proposeNew(office, 'Member', 'Members', columns, STYLE, makeId);

  it('makes a table of its own: kinds, a key of what numbers the rows, and a text that stands for them', () => {
    const plan = fresh();
    if (plan.into.table !== 'new') throw new Error('No table is made.');
    const { made: table } = plan.into;
    expect(table.fields.map(({ name, type }) => [name, type.kind])).toEqual([
      ['member_no', 'runningNumber'],
      ['name', 'text'],
      ['born', 'date'],
    ]);
    expect(table.key).toEqual([table.fields[0]!.id]);
    expect(table.display).toBe(`"#${table.fields[1]!.id}"`);
    expect(undecided(office, table, plan, ['Member no', 'Name', 'Born'])).toBeNull();
  });

  it('gives the table a number where no column tells its rows, and a name that no other has', () => {
    const [known] = office.tables;
    const plan = proposeNew(office, known!.label, known!.plural, [columns[1]!], STYLE, makeId);
    if (plan.into.table !== 'new') throw new Error('No table is made.');
    expect(plan.into.made.label).toBe(`${known!.label} 2`);
    expect(plan.into.made.fields.map(({ type }) => type.kind)).toEqual(['runningNumber', 'text']);
    expect(plan.columns.length).toBe(1);
  });

  it('is changed column by column', () => {
    const plan = fresh();
    const born = takes(plan, 2)!;
    const out = leaveOut(plan, 2);
    expect(takes(out, 2)).toBeUndefined();
    expect(out.into.table === 'new' && out.into.made.fields.length).toBe(2);
    // The key stays.
    expect(leaveOut(plan, 0)).toBe(plan);
    const back = takeIn(out, 2, plan);
    expect(takes(back, 2)).toEqual(born);
    expect(takeIn(back, 2, plan)).toBe(back);
    const named = nameField(plan, born.field, 'Name');
    expect(named.into.table === 'new' && named.into.made.fields[2]).toEqual(
      jasmine.objectContaining({ label: 'Name', name: 'name_2' }),
    );
    const typed = giveType(
      plan,
      born.field,
      typeAs('text', columns[2]!, toldStyles(columns, BRITISH)[2]!, office),
    );
    expect(typed.into.table === 'new' && typed.into.made.fields[2]!.type.kind).toBe('text');
    const renamed = nameTable(plan, office, 'Guest', 'Guests');
    expect(renamed.into.table === 'new' && [renamed.into.made.name, renamed.into.made.plural]).toEqual([
      'guest',
      'Guests',
    ]);
    expect(readColumn(plan, 2, { dateOrder: 'mdy' }).columns[2]!.dateOrder).toBe('mdy');
  });

  it('asks what it cannot know before any row is read', () => {
    const either = [column('Born', ['03/04/2014'])];
    const plan = proposeNew(office, 'Member', 'Members', either, STYLE, makeId);
    if (plan.into.table !== 'new') throw new Error('No table is made.');
    expect(undecided(office, plan.into.made, plan, ['Born'])).toContain('the day or the month');
    expect(undecided(office, plan.into.made, { ...plan, columns: [] }, ['Born'])).toContain('No column goes');
    expect(
      undecided(office, plan.into.made, { ...readColumn(plan, 0, { dateOrder: 'dmy' }), mode: 'both' }, [
        'Born',
      ]),
    ).toContain('by which field');
    const twice = [...plan.columns, { ...plan.columns[0]!, column: 0, dateOrder: 'dmy' as const }];
    expect(
      undecided(
        office,
        plan.into.made,
        { ...plan, columns: [{ ...twice[0]!, dateOrder: 'dmy' }, twice[1]!] },
        ['Born'],
      ),
    ).toContain('Two columns');
  });

  it('finds the fields of a table that is there, and what of it would stay empty', () => {
    const table = plainTable('t_m', 'member', 'Member', 'Members', [
      plainField('f_no', 'member_no', 'Number', { kind: 'wholeNumber' }),
      plainField('f_name', 'name', 'Name', { kind: 'text', most: null }, { alwaysFilled: true }),
      plainField('f_since', 'since', 'Since', { kind: 'date' }, { alwaysFilled: true }),
    ]);
    const design: Design = { ...office, tables: [...office.tables, table] };
    const plan = proposeKnown(design, table, columns, STYLE, null);
    expect(plan.columns.map(({ column: place, field }) => [place, field])).toEqual([
      [0, 'f_no'],
      [1, 'f_name'],
    ]);
    expect([plan.mode, plan.match]).toEqual(['both', ['f_no']]);
    expect(missingFields(table, plan).map(({ id }) => id)).toEqual(['f_since']);
    const told = toldStyles(columns, BRITISH);
    const sent = sendInto(plan, 2, 'f_since', told[2]!);
    expect(sent.columns.map(({ field }) => field)).toEqual(['f_no', 'f_name', 'f_since']);
    // A field takes one column: the other goes nowhere.
    expect(sendInto(sent, 1, 'f_since', told[1]!).columns.map(({ column: place }) => place)).toEqual([0, 1]);
    expect(sendInto(sent, 2, null, told[2]!).columns.length).toBe(2);
    const { style: _, into: __, ...remembered } = sent;
    expect(proposeKnown(design, table, columns, STYLE, remembered).columns).toEqual(sent.columns);
    const gaps = [column('Member no', ['11', '', '13']), columns[1]!];
    expect(proposeKnown(design, table, gaps, STYLE, null).mode).toBe('add');
  });

  it('offers choices only where all values are known', () => {
    expect(canBeChoice(columns[1]!)).toBeTrue();
    expect(
      canBeChoice(
        column(
          'N',
          Array.from({ length: 40 }, (_, i) => `n${i}`),
        ),
      ),
    ).toBeFalse();
    expect(typeAs('choice', columns[1]!, toldStyles(columns, BRITISH)[1]!, office)).toEqual({
      kind: 'choice',
      choices: ['Ann', 'Bo', 'Cy'],
    });
  });
});

describe('reading rows by a plan', () => {
  const child = office.tables.find(({ fields }) => fields.some(({ type }) => type.kind === 'lookup'))!;
  const link = child.fields.find(({ type }) => type.kind === 'lookup')!;
  const plan = (set: object): BringPlan => ({
    style: STYLE,
    into: { table: 'known', id: child.id },
    columns: [
      {
        column: 0,
        field: link.id,
        decimalMark: '.',
        dateOrder: 'dmy',
        missing: 'refuse',
        unread: 'refuse',
        instead: {},
        ...set,
      },
    ],
    mode: 'add',
    match: [],
    blanks: 'leave',
  });
  const read = (set: object, cell: Cell) =>
    sheetReader(office, child, plan(set), '2026-01-01', (_, text) =>
      text === 'twice' ? 'several' : text === 'here' ? 7 : null,
    )([cell]);

  it('looks lookups up, and does with a missing one as it is told', () => {
    expect(read({}, 'here').values[link.id]).toBe(7);
    expect(read({}, 'gone').problems[0]!.reason).toContain('There is no');
    expect(read({}, 'twice').problems[0]!.reason).toContain('Several rows');
    expect(read({ missing: 'empty' }, 'gone').values[link.id]).toBeNull();
    expect(read({ instead: { gone: 'here' } }, ' gone ').values[link.id]).toBe(7);
    expect(read({}, '').blank.has(link.id)).toBeTrue();
  });

  it('adds a missing one only where its one text is all that is shown of it', () => {
    const shown = addableField(office, link);
    const outcome = read({ missing: 'add' }, 'gone');
    if (shown) expect(outcome.values[link.id]).toEqual(jasmine.objectContaining({ text: 'gone' }));
    else expect(outcome.problems.length).toBe(1);
  });
});

describe('what was probably meant', () => {
  // C. Damerau, "A technique for computer detection and correction of spelling errors", CACM 7 (1964): the four
  // single errors are one apart.
  it('is found by the letters that differ', () => {
    for (const wrong of ['oaknshaw', 'oakenshhaw', 'oakemshaw', 'oakneshaw'])
      expect(distance(wrong, 'oakenshaw', 3))
        .withContext(wrong)
        .toBe(1);
    expect(distance('kitten', 'sitting', 5)).toBe(3);
    expect(distance('abc', 'xyz', 1)).toBe(2);
    expect(distance('', 'ab', 3)).toBe(2);
  });

  it('is the same both ways, and never more than the longer text', () => {
    const word = fc.stringMatching(/^[ab]{0,6}$/);
    const holds = fc.property(word, word, (a, b) => {
      const apart = distance(a, b, 20);
      return (
        apart === distance(b, a, 20) && apart <= Math.max(a.length, b.length) && (apart === 0) === (a === b)
      );
    });
    expect(() => fc.assert(holds, { seed: 20261130 })).not.toThrow();
  });

  it('is nothing where all are too far, and what begins alike where two are as near', () => {
    const among = [
      ['harrow lane', 'Harrow Lane'],
      ['marrow lane', 'Marrow Lane'],
      ['dunmere', 'Dunmere'],
    ] as const;
    expect(nearest('dunmre', among)).toBe('Dunmere');
    expect(nearest('quite another', among)).toBeNull();
    expect(nearest('harow lane', among)).toBe('Harrow Lane');
  });
});

describe('a block of cells', () => {
  it('is read as spreadsheets write it', () => {
    expect(readBlock('a\tb\r\nc\td\r\n')).toEqual([
      ['a', 'b'],
      ['c', 'd'],
    ]);
    expect(readBlock('"two\nlines"\t"a ""b"""\n\t')).toEqual([
      ['two\nlines', 'a "b"'],
      ['', ''],
    ]);
    expect(readBlock('5" pipe\t"open')).toEqual([['5" pipe', '"open']]);
    expect(readBlock('"a"b\tc')).toEqual([['"a"b', 'c']]);
    expect(readBlock('')).toEqual([['']]);
  });

  it('comes back as it was written', () => {
    const cell = fc.stringMatching(/^[ab"\t\n\r]{0,5}$/);
    const rows = fc.array(fc.array(cell, { minLength: 2, maxLength: 2 }), { minLength: 1, maxLength: 4 });
    const holds = fc.property(
      rows,
      (value) => JSON.stringify(readBlock(writeBlock(value))) === JSON.stringify(value),
    );
    expect(() => fc.assert(holds, { seed: 20261130 })).not.toThrow();
  });
});
