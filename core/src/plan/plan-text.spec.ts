import fc from 'fast-check';
import { KIND_LABELS, validateTables, type FieldType } from '../design';
import { OFFICE } from '../design/testing/office';
import { applyChanges } from '../change';
import { guessKind, readFieldLine, readFieldLines, readPlanText, type WrittenPlan } from './plan-text';

describe('a plan as text', () => {
  let made = 0;
  beforeEach(() => (made = 0));
  const id = (letter: string): string => `${letter}_w${++made}`;
  const [BORROWER, LOAN] = OFFICE.tables as [(typeof OFFICE.tables)[0], (typeof OFFICE.tables)[0]];
  const fields = (text: string) => readFieldLines(text, OFFICE, BORROWER, id).tables[0]!;
  const kinds = (plan: WrittenPlan): string[] =>
    plan.tables.flatMap((table) =>
      table.fields.map(({ label, type }) => `${table.label}.${label}: ${type.kind}`),
    );
  const faults = (text: string): string[] =>
    fields(text).faults.map(({ line, fault }) => `${line}: ${fault}`);

  it('takes one field a line, with the kind that is said or that the words suggest', () => {
    const { fields: list, faults: none } = fields(
      'phone\n\njoined: date\r\nfee : money , always filled\nloan -> Loan\nstate: Out, Back\n- card: text; no two alike\n2) notes',
    );
    expect(none).toEqual([]);
    expect(list.map(({ label, type, guessed }) => [label, type.kind, guessed])).toEqual([
      ['Phone', 'text', true],
      ['Joined', 'date', false],
      ['Fee', 'money', false],
      ['Loan', 'lookup', false],
      ['State', 'choice', false],
      ['Card', 'text', false],
      ['Notes', 'longText', true],
    ]);
    expect(list.map(({ line }) => line)).toEqual([1, 3, 4, 5, 6, 7, 8]);
    expect(list.map((field) => [field.alwaysFilled, field.noTwoAlike])[2]).toEqual([true, false]);
    expect(list[5]!.noTwoAlike).toBeTrue();
    expect(list[3]).toEqual(jasmine.objectContaining({ leadsTo: 'Loan' }));
    expect((list[4]!.type as Extract<FieldType, { kind: 'choice' }>).choices).toEqual(['Out', 'Back']);
  });

  it('drafts what stands there: the design holds afterwards', () => {
    const plan = readFieldLines('phone\nloan\nfee: money', OFFICE, BORROWER, id);
    const after = applyChanges(OFFICE, plan.changes);
    expect(after.tables[0]!.fields.slice(-3).map(({ name, type }) => [name, type.kind])).toEqual([
      ['phone', 'text'],
      ['loan', 'lookup'],
      ['fee', 'money'],
    ]);
    expect(validateTables(after)).toEqual([]);
  });

  it('reads a plan of several tables that look one another up, whichever comes first', () => {
    const text =
      'Plots\nsize\ngardener\n\nGardener:\nnumber\nname: text, always filled\nplot -> Plots\n\nloans\nreminder on';
    const plan = readPlanText(text, OFFICE, id);
    expect(plan.tables.map(({ label, plural, isNew }) => [label, plural, isNew])).toEqual([
      ['Plot', 'Plots', true],
      ['Gardener', 'Gardeners', true],
      ['Loan', 'Loans', false],
    ]);
    expect(kinds(plan)).toEqual([
      'Plot.Size: decimal',
      'Plot.Gardener: lookup',
      'Gardener.Number: runningNumber',
      'Gardener.Name: text',
      'Gardener.Plot: lookup',
      'Loan.Reminder on: date',
    ]);
    const after = applyChanges(OFFICE, plan.changes);
    expect(validateTables(after)).toEqual([]);
    expect(after.tables.length).toBe(OFFICE.tables.length + 2);
    expect(after.tables[4]!.fields.map(({ name }) => name)).toEqual(['number', 'name', 'plot']);
    expect(after.tables[1]!.fields.at(-1)!.label).toBe('Reminder on');
  });

  it('says line by line what it cannot take, and takes the rest', () => {
    expect(
      faults('Name\nx: moony\n: date\npiece -> Piece\nstate: choice\nsum: worked out\nno: running number'),
    ).toEqual([
      '1: Borrower has a field Name already.',
      jasmine.stringMatching(/^2: “moony” is no kind of field\. There are text, long text/),
      '3: A field needs a name before its kind.',
      jasmine.stringMatching(/^4: There is no table Piece/),
      jasmine.stringMatching(/^5: Which choices\?/),
      jasmine.stringMatching(/^6: What is worked out needs its expression/),
      '7: A running number is a key: Borrower has one already.',
    ]);
    expect(faults('colour: red, blue, red')).toEqual(['1: “red” stands twice among the choices.']);
    expect(faults('phone\nPhone')).toEqual(['2: Borrower has a field Phone already.']);
    expect(fields('Name\nphone').fields.map(({ label }) => label)).toEqual(['Phone']);
  });

  it('takes what several paragraphs say of one table together', () => {
    const plan = readPlanText(
      'Plot\nsize\nnumber: text\n\nLoan\nphone\n\nPlot\nno: running number\nsize\nsoil\n\nPlots\nkey: running number\n\nLoan\nphone',
      OFFICE,
      id,
    );
    expect(plan.tables.flatMap(({ faults: told }) => told.map(({ line, fault }) => [line, fault]))).toEqual([
      [10, 'Plot has a field Size already.'],
      [14, 'A table has one running number: its key.'],
      [17, 'Loan has a field Phone already.'],
    ]);
    const after = applyChanges(OFFICE, plan.changes);
    expect(validateTables(after)).toEqual([]);
    expect(after.tables.at(-1)!.fields.map(({ name }) => name)).toEqual(['no', 'size', 'number', 'soil']);
  });

  it('calls the key of a new table otherwise where a field is written with its name', () => {
    const after = applyChanges(OFFICE, readPlanText('Plot\nnumber: text\nsize', OFFICE, id).changes);
    expect(validateTables(after)).toEqual([]);
    expect(after.tables.at(-1)!.fields.map(({ label, type }) => [label, type.kind])).toEqual([
      ['Running number', 'runningNumber'],
      ['Number', 'text'],
      ['Size', 'decimal'],
    ]);
  });

  it('says where it stops reading, and drops no line in silence', () => {
    const many = Array.from({ length: 1005 }, (_, i) => `field ${i}`).join('\n');
    const { fields: taken, faults: said } = fields(many);
    expect(taken.length).toBe(1000);
    expect(said.map(({ line }) => line)).toEqual([1001]);
    expect(said[0]!.fault).toContain('At most 1000 lines');
    const tables = readPlanText(
      Array.from({ length: 2000 }, (_, i) => `Thing ${i}\n`).join('\n'),
      OFFICE,
      id,
    ).tables;
    expect(tables.length).toBe(500);
    expect(tables.at(-1)!.faults.map(({ fault }) => fault)).toEqual([
      jasmine.stringContaining('At most 1000'),
    ]);
  });

  it('knows every kind by its name but those that need more than a name', () => {
    for (const [kind, label] of Object.entries(KIND_LABELS)) {
      const read = readFieldLine(`loan: ${label.toUpperCase()}`, OFFICE);
      if (kind === 'choice' || kind === 'workedOut') expect(read).withContext(kind).toBeNull();
      else
        expect(read?.type.kind as string)
          .withContext(kind)
          .toBe(kind);
    }
  });

  it('guesses from words that are said every day', () => {
    const guesses: Record<string, string> = {
      'Due back': 'date',
      'Lent on': 'date',
      'Date of birth': 'date',
      born: 'date',
      monthly_fee: 'money',
      'Number of seats': 'wholeNumber',
      Address: 'longText',
      'Is paid': 'tick',
      active: 'tick',
      Portrait: 'picture',
      'Opening time': 'time',
      'Called at': 'dateTime',
      Weight: 'decimal',
      Surname: 'text',
      Telephone: 'text',
      Coordinate: 'text',
      Candidate: 'text',
    };
    for (const [label, kind] of Object.entries(guesses))
      expect(guessKind(label))
        .withContext(label)
        .toBe(kind as never);
  });

  it('never throws, and drafts only what holds, whatever is pasted', () => {
    const word = fc.constantFrom(
      'name',
      'fee',
      'Loan',
      'borrower',
      'x',
      'ß',
      '日本',
      ':',
      '->',
      'date',
      'choice of',
      ',',
      'a'.repeat(61),
      '',
      ' ',
      '"',
      'number',
      'Plot',
      'number: text',
      'running number: text',
      'no: running number',
    );
    const text = fc.array(
      fc.array(word, { maxLength: 3 }).map((words) => words.join(' ')),
      { maxLength: 12 },
    );
    fc.assert(
      fc.property(text, fc.constantFrom(BORROWER, LOAN), (lines, table) => {
        const all = lines.join('\n');
        for (const plan of [readPlanText(all, OFFICE, id), readFieldLines(all, OFFICE, table, id)])
          expect(validateTables(applyChanges(OFFICE, plan.changes)))
            .withContext(JSON.stringify(all))
            .toEqual([]);
      }),
      { numRuns: 400, seed: 20261130 },
    );
  });
});
