import * as v from 'valibot';
import { bind } from '../expression';
import { BRITISH } from '../values';
import { catalogOf, displayOf, linksTo, lookupDisplay, tableOf } from './catalog';
import { dependantsOf } from '../documents';
import { nameFromLabel, uniqueName } from './names';
import { Definition, Label, Table, type Design, type FieldType } from './schema';
import { showKey } from './stored-values';
import { field, lookup, number, OFFICE, table } from './testing/office';
import { validateTables } from './validate';

describe('names', () => {
  const labels: [string, string][] = [
    ['Due back', 'due_back'],
    ['  Größe (cm) ', 'größe_cm'],
    ["Player's school", 'players_school'],
    ['2nd phone', 'n_2nd_phone'],
    ['<script>alert(1)</script>', 'script_alert_1_script'],
    ['🎻🎺', 'field'],
    ['hr_definition', 'n_hr_definition'],
    ['sqlite', 'n_sqlite'],
    ['"quoted"; DROP TABLE x', 'quoted_drop_table_x'],
    ['氏名', '氏名'],
  ];
  for (const [label, name] of labels) {
    it(`of “${label}” is ${name}`, () => expect(nameFromLabel(label, 'field')).toBe(name));
  }

  it('are made unique without regard to case', () => {
    expect(uniqueName('Name', ['name', 'name_2'])).toBe('Name_3');
    expect(uniqueName('name', [])).toBe('name');
  });

  it('count the characters that people see', () => {
    const is = (label: string): boolean => v.safeParse(Label, label).success;
    expect(is('x'.repeat(60))).toBeTrue();
    expect(is('x'.repeat(61))).toBeFalse();
    expect(is('👨‍👩‍👧‍👦'.repeat(50))).toBeTrue();
    expect(is('e\u0301'.repeat(60))).toBeTrue();
    expect(is('e\u0301'.repeat(61))).toBeFalse();
    // A single character may not be made of any number of marks.
    expect(is(`e${'\u0301'.repeat(600)}`)).toBeFalse();
    expect(nameFromLabel('\u{1d4d0}'.repeat(60), 'x')).toBe('\u{1d4d0}'.repeat(50));
  });
});

describe('schemas', () => {
  it('take the sample and give it back unchanged', () => {
    for (const document of OFFICE.tables)
      expect(v.parse(Definition, JSON.parse(JSON.stringify(document)))).toEqual(document);
  });

  const sample = OFFICE.tables[0]!;
  const refused: [string, object, RegExp][] = [
    ['a table without fields', { fields: [] }, /needs a field/],
    ['a table without a key', { key: [] }, /needs a key/],
    ['an empty label', { label: '  ' }, /name is needed/],
    ['a label of 61 characters', { label: 'x'.repeat(61) }, /at most 60/],
    ['a reserved name', { name: 'hr_history' }, /kept for Heathridge/],
    ['a control character', { label: 'a\u0007b' }, /cannot be shown/],
    ['an id with a path in it', { id: '../x' }, /not an id/],
    [
      'a choice that stands there twice',
      { fields: [field('x', 'x', { kind: 'choice', choices: ['a', 'a'] })] },
      /stands there twice/,
    ],
    [
      'a rule without a message',
      {
        fields: [
          field('x', 'x', { kind: 'date' }, { rule: { id: 'r_a', expression: 'TRUE', message: ' ' } }),
        ],
      },
      /needs a message/,
    ],
  ];
  for (const [what, patch, words] of refused) {
    it(`refuse ${what}`, () => {
      const result = v.safeParse(Table, { ...sample, ...patch });
      expect(result.success).toBeFalse();
      expect(result.issues?.map(({ message }) => message).join(' ')).toMatch(words);
    });
  }
});

describe('the catalog', () => {
  const catalog = catalogOf(OFFICE);

  it('knows fields, links and child rows by name', () => {
    const loan = catalog.table('t_loan');
    expect(loan.keyColumn).toBe('number');
    expect(loan.fields.find(({ name }) => name === 'borrower')?.link).toBe('t_borrower');
    expect(loan.children.map(({ name, table: child }) => [name, child])).toEqual([['fines', 't_fine']]);
  });

  it('tells two links from one table apart', () => {
    const twice: Design = {
      ...OFFICE,
      tables: [
        ...OFFICE.tables,
        table('swap', [
          field('sNo', 'number', number),
          field('sA', 'giver', lookup('borrower')),
          field('sB', 'taker', lookup('borrower')),
        ]),
      ],
    };
    const names = catalogOf(twice)
      .table('t_borrower')
      .children.map(({ name }) => name);
    expect(names).toEqual(['loans', 'swaps_by_giver', 'swaps_by_taker']);
  });

  it('shows a row by its display, else its first text, else its key', () => {
    const [borrower, , fine] = OFFICE.tables;
    expect(displayOf(borrower!)).toBe('"#f_bName"');
    expect(displayOf({ ...borrower!, display: null })).toBe('"#f_bName"');
    expect(bind(displayOf(fine!), { catalog, table: 't_fine' }).bound.type.type).toBe('text');
    const type = OFFICE.tables[1]!.fields[1]!.type;
    expect(type.kind === 'lookup' && lookupDisplay(OFFICE, type)).toBe('"#f_bName"');
  });

  it('shows a row by what tells it apart, where it has such a text', () => {
    const text = { kind: 'text' } as const;
    const crop = {
      ...table('crop', [field('cName', 'crop', text), field('cFamily', 'family', text)]),
      key: ['f_cName'],
    };
    expect(displayOf(crop)).toBe('"#f_cName"');
    const kind = table('kind', [
      field('kNo', 'number', number),
      field('kFamily', 'family', text),
      field('kName', 'name', text, { alwaysFilled: true, noTwoAlike: true }),
    ]);
    expect(displayOf(kind)).toBe('"#f_kName"');
    const set = {
      ...kind,
      fields: kind.fields.map((each) => ({ ...each, noTwoAlike: false })),
      noTwoAlike: [['f_kName']],
    };
    expect(displayOf(set)).toBe('"#f_kName"');
    expect(displayOf({ ...set, noTwoAlike: [['f_kFamily', 'f_kName']] })).toBe('"#f_kFamily"');
  });

  it('finds what looks a table up', () => {
    expect(linksTo(OFFICE, 't_loan').map(({ field: { id } }) => id)).toEqual(['f_fLoan']);
    expect(() => tableOf(OFFICE, 't_none')).toThrowError(/no table/);
  });
});

describe('validateTables', () => {
  const changed = (id: string, patch: object): Design => ({
    ...OFFICE,
    tables: OFFICE.tables.map((other) => ({
      ...other,
      fields: other.fields.map((item) => (item.id === id ? { ...item, ...patch } : item)),
    })),
  });

  it('finds nothing wrong with the sample', () => expect(validateTables(OFFICE)).toEqual([]));

  const cases: [string, Design, RegExp][] = [
    [
      'a rule that does not hold together',
      changed('f_lDue', { rule: { id: 'r_x', expression: '"#f_lDue" > 3', message: 'no' } }),
      /The rule: .*beside a date/,
    ],
    [
      'a rule that is no condition',
      changed('f_lDue', { rule: { id: 'r_x', expression: '"#f_lFee" + 1', message: 'no' } }),
      /a condition/,
    ],
    ['a starting value of another kind', changed('f_lFrom', { start: '12' }), /of another kind/],
    ['a starting value with a field in it', changed('f_lFrom', { start: 'lent_on' }), /No field can be used/],
    ['a lookup into nowhere', changed('f_lBorrower', { type: lookup('gone') }), /no longer there/],
    ['two fields of one name', changed('f_lDue', { name: 'Lent_On' }), /two fields called/],
    [
      'leave empty on an always filled field',
      changed('f_lBorrower', { type: { ...lookup('borrower'), onDelete: 'leaveEmpty' } }),
      /do not go together/,
    ],
    ['a second running number', changed('f_lFee', { type: number }), /is the key of its table/],
    [
      'two tables of one name',
      { ...OFFICE, tables: [...OFFICE.tables, table('LOAN', [field('q', 'number', number)])] },
      /Two tables are called/,
    ],
    ['a starting value with too many places', changed('f_lFee', { start: '1.005' }), /of another kind/],
    [
      'a starting value that cannot be worked out',
      changed('f_lFrom', { start: "CAST('someday' AS DATE)" }),
      /cannot be worked out: A text here/,
    ],
    [
      'a key that looks up its own table',
      {
        ...OFFICE,
        tables: [
          ...OFFICE.tables,
          { ...table('self', [field('sUp', 'up', lookup('self'))]), key: ['f_sUp'] },
        ],
      },
      /^Up cannot be a key of Self: it leads to Self again/,
    ],
    [
      'keys that look up one another',
      {
        ...OFFICE,
        tables: [
          ...OFFICE.tables,
          { ...table('egg', [field('eHen', 'hen', lookup('hen'))]), key: ['f_eHen'] },
          { ...table('hen', [field('hEgg', 'egg', lookup('egg'))]), key: ['f_hEgg'] },
        ],
      },
      /^Hen cannot be a key of Egg/,
    ],
    [
      'a table with the name of the view of another',
      { ...OFFICE, tables: [...OFFICE.tables, table('Loan_Readable', [field('q', 'number', number)])] },
      /is that of the view of Loans for other tools/,
    ],
    [
      'a table with the name of a view that is kept',
      {
        ...OFFICE,
        kept: [
          {
            type: 'kept',
            id: 'k_v',
            table: null,
            what: 'view',
            name: 'FINE',
            sql: 'CREATE VIEW "FINE" AS SELECT 1',
          },
        ],
      },
      /is that of the view FINE that is kept as SQL/,
    ],
  ];
  for (const [what, design, words] of cases) {
    it(`finds ${what}`, () => {
      const found = validateTables(design);
      expect(found.length).toBeGreaterThan(0);
      expect(found[0]!.message).toMatch(words);
    });
  }
});

describe('dependantsOf', () => {
  const design: Design = {
    ...OFFICE,
    queries: [
      {
        type: 'query',
        id: 'q_a',
        label: 'Due',
        from: 't_loan',
        questions: [],
        joins: [],
        where: [{ is: 'so', expression: '"#f_lDue" IS NULL' }],
        columns: [],
        group: null,
        keep: [],
        unlike: false,
        sort: [],
        first: null,
      },
    ],
    forms: [
      {
        type: 'form',
        id: 'o_a',
        label: 'Desk',
        table: 't_loan',
        parts: [{ part: 'cell', field: 'f_lDue', width: 3, people: 'type' }],
        rights: { add: true, change: true, delete: true },
        opens: 'first',
      },
    ],
    reports: [
      {
        type: 'report',
        id: 'p_a',
        label: 'List',
        source: { kind: 'query', id: 'q_a' },
        columns: [{ column: 'f_lNo', label: 'No', sum: false }],
        group: null,
        sort: null,
        paper: 'A4 tall',
      },
    ],
  };

  it('names every document and field that uses a field', () => {
    expect(dependantsOf(design, 'f_lDue').map(({ label }) => label)).toEqual(['Due', 'Desk']);
    expect(dependantsOf(design, 'f_lFrom').map(({ label, use }) => `${label}: ${use}`)).toEqual([
      'Loan › Due back: its rule',
    ]);
    expect(dependantsOf(design, 'f_bName').map(({ label }) => label)).toEqual(['Borrower', 'Loan']);
  });

  it('names what uses a table or a query', () => {
    expect(dependantsOf(design, 't_borrower').map(({ label }) => label)).toEqual(['Loan › Borrower']);
    expect(dependantsOf(design, 'q_a').map(({ label }) => label)).toEqual(['List']);
    expect(dependantsOf(design, 'p_a')).toEqual([]);
  });
});

describe('the key of a row', () => {
  it('is shown as its values are, not as the file keeps them', () => {
    const GERMAN = { ...BRITISH, decimalMark: ',', groupMark: '.' } as const;
    const keyed = (type: FieldType) => table('thing', [field('k', 'k', type)], { key: ['f_k'] });
    const shown: [FieldType, string | number, string][] = [
      [{ kind: 'decimal', places: 2 }, 150, '1,50'],
      [{ kind: 'wholeNumber' }, 1234, '1.234'],
      [{ kind: 'runningNumber', prefix: 'S-', width: 3, first: 1 }, 7, 'S-007'],
      [{ kind: 'text', most: null }, 'A1', 'A1'],
      [{ kind: 'date' }, '2026-11-26', '26 Nov 2026'],
      [{ kind: 'tick' }, 1, 'Yes'],
    ];
    for (const [type, key, text] of shown)
      expect(showKey(keyed(type), [key], GERMAN))
        .withContext(type.kind)
        .toBe(text);
    const several = table(
      'thing',
      [field('a', 'a', { kind: 'decimal', places: 1 }), field('b', 'b', { kind: 'text', most: null })],
      { key: ['f_a', 'f_b'] },
    );
    expect(showKey(several, [25, 'x'])).toBe('2.5 · x');
  });
});
