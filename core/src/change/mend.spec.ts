import { dependantsOf } from '../documents';
import {
  catalogOf,
  idsOfTable,
  linksFrom,
  linkWords,
  mapSvg,
  SHAPES,
  shapeRule,
  validateTables,
  type Design,
  type Field,
  type FieldType,
  type Query,
  type Report,
  type Shape,
} from '../design';
import { checksIn, factsFrom, howFor, kindOf } from '../exchange';
import { bindCondition } from '../expression';
import { field, lookup, number, OFFICE, table } from '../design/testing/office';
import { validateDesign } from '../documents';
import { queryProblems } from '../query';
import { reportProblems } from '../report';
import { cellsOf, formProblems } from '../form';
import { BRITISH } from '../values';
import { FULL, QUERY, REPORT } from '../documents/testing/full';
import { applyChanges, ChangeError, evolve } from './changes';
import { checkPlan } from './check';

describe('what uses a field', () => {
  const dependants = dependantsOf({ ...FULL, tables: FULL.tables }, 'f_lDue');

  it('is found everywhere, with how and what becomes of it', () => {
    expect(dependants.map(({ id, use, fate }) => [id, use, fate])).toEqual([
      ['f_lLate', 'what it is worked out from', 'the field is dropped too'],
      ['t_loan', 'its rule “Due {…}?”', 'the rule is dropped'],
      ['t_loan', 'the order of its rows', 'they are ordered without it'],
      ['q_l', 'column Due, a condition', 'these parts are taken out'],
      ['o_l', 'a field on it, their order', 'taken off the form'],
      ['h_day', 'what its filter Due goes by', 'the filter leaves that part alone'],
      ['p_l', 'column Due, its group', 'taken out of the report'],
    ]);
  });

  it('does without it, or takes another, as the mends say', () => {
    const ids = [...new Set(dependants.map(({ id }) => id))];
    const drop = (put: string | null) =>
      applyChanges(FULL, [
        {
          change: 'dropField',
          table: 't_loan',
          field: 'f_lDue',
          mends: ids.map((dependant) => ({ dependant, put })),
        },
      ]);
    const without = drop(null);
    expect(dependantsOf(without, new Set(['f_lDue', 'f_lLate']))).toEqual([]);
    expect(validateTables(without)).toEqual([]);
    expect(without.queries[0]!.where).toEqual([{ is: 'so', expression: '"#f_lState" = \'Out\'' }]);
    expect(without.queries[0]!.sort).toEqual([]);
    expect(without.reports[0]!.group).toBeNull();
    const instead = drop('f_lFrom');
    expect(dependantsOf(instead, 'f_lDue')).toEqual([]);
    expect(instead.queries[0]!.where[0]).toEqual({ is: 'so', expression: '"#f_lFrom" < CURRENT_DATE' });
    expect(instead.reports[0]!.columns[0]!.column).toBe('f_lFrom');
    // The field that takes the place was on the form already: it stands there once.
    expect(cellsOf(instead.forms[0]!.parts).filter(({ field: id }) => id === 'f_lFrom').length).toBe(1);
    for (const design of [without, instead]) {
      expect(queryProblems(design, design.queries[0]!)).toEqual([]);
      expect(formProblems(design, design.forms[0]!)).toEqual([]);
      expect(reportProblems(design, design.reports[0]!)).toEqual([]);
    }
  });

  it('takes what follows from a mend along: reports over a query, and what uses a field that goes too', () => {
    const over = (columns: string[]): Report => ({
      ...REPORT,
      id: `p_${columns.join('')}`,
      label: `By ${columns.join(' and ')}`,
      source: { kind: 'query', id: 'q_l' },
      columns: columns.map((column) => ({ column, label: column, sum: false })),
      group: null,
      sort: { column: 'due', descending: false },
    });
    const late: Query = {
      ...QUERY,
      id: 'q_late',
      label: 'How late',
      columns: [{ id: 'late', label: 'Late', expression: '"#f_lLate"' }],
      where: [{ is: 'so', expression: '"#f_lLate" > 3' }],
      sort: [],
    };
    const full: Design = {
      ...FULL,
      queries: [...FULL.queries, late],
      reports: [REPORT, over(['due', 'who']), over(['due'])],
    };
    const users = dependantsOf(full, 'f_lDue');
    expect(users.find(({ id }) => id === 'f_lLate')!.fate).toBe(
      'the field is dropped too, and taken out of How late',
    );
    expect(users.find(({ id }) => id === 'q_l')!.fate).toBe(
      'these parts are taken out, in report By due and who and report By due too',
    );
    const mends = [...new Set(users.map(({ id }) => id))].map((dependant) => ({ dependant, put: null }));
    const change = { change: 'dropField', table: 't_loan', field: 'f_lDue', mends } as const;
    const after = applyChanges(full, [change]);
    expect(dependantsOf(after, new Set(['f_lDue', 'f_lLate']))).toEqual([]);
    expect(after.queries.find(({ id }) => id === 'q_late')!.where).toEqual([]);
    expect(after.reports.map(({ label, columns, sort }) => [label, columns.length, sort])).toEqual([
      ['Loans', 1, null],
      ['By due and who', 1, null],
    ]);
    expect(
      checkPlan(full, evolve(full, [change]), [change]).notices.filter(({ level }) => level === 'stop'),
    ).toEqual([]);
  });

  it('goes with its table', () => {
    const ids = idsOfTable(FULL.tables[1]!);
    const left = { ...FULL, tables: FULL.tables.filter(({ id }) => id !== 't_loan') };
    const mends = [...new Set(dependantsOf(left, ids).map(({ id }) => id))].map((dependant) => ({
      dependant,
      put: null,
    }));
    const after = applyChanges(FULL, [{ change: 'dropTable', table: 't_loan', mends }]);
    expect(after.queries.map(({ id }) => id)).toEqual(['q_b']);
    expect([after.forms, after.reports]).toEqual([[], []]);
    expect(after.tables.find(({ id }) => id === 't_fine')!.fields.map(({ id }) => id)).toEqual([
      'f_fNo',
      'f_fAmount',
    ]);
    const plan = checkPlan(FULL, evolve(FULL, [{ change: 'dropTable', table: 't_loan' }]));
    expect(plan.notices.find(({ gone }) => gone === 't_loan')).toEqual(
      jasmine.objectContaining({ level: 'stop' }),
    );
  });

  it('is told when another kind of field would break it', () => {
    const { notices } = checkPlan(
      FULL,
      evolve(FULL, [
        {
          change: 'changeField',
          table: 't_loan',
          field: 'f_lState',
          set: { type: { kind: 'wholeNumber' }, start: null },
        },
      ]),
    );
    expect(notices.map(({ message }) => message).join()).toContain(
      'The query Late could not be used any more',
    );
    const uses = notices.find(({ message }) => message.startsWith('State becomes'))!;
    expect(uses.level).toBe('note');
    expect(uses.dependants.find(({ id }) => id === 'q_l')!.fate).toBe('would not work any more');
    // Which of its rows it shows goes by the field too.
    expect(uses.dependants.find(({ id }) => id === 'o_l')!.fate).toBe('would not work any more');
    expect(uses.dependants.find(({ id }) => id === 'p_l')).toBeUndefined();
  });

  it('is told when the field becomes a kind that all of it can go on with', () => {
    const type: FieldType = { kind: 'text', most: 40 };
    const change = { change: 'changeField', table: 't_loan', field: 'f_lNote', set: { type } } as const;
    const { notices } = checkPlan(FULL, evolve(FULL, [change]), [change]);
    expect(
      notices.map(({ level, message, dependants }) => [level, message, dependants.map(({ fate }) => fate)]),
    ).toEqual([
      [
        'note',
        'Note becomes a field of the kind Text; this uses it.',
        ['goes on with the new values', 'goes on with the new values', 'goes on with the new values'],
      ],
    ]);
  });
});

describe('splitting and merging', () => {
  const into = [field('a', 'a', { kind: 'text' }), field('b', 'b', { kind: 'text' })] as [Field, Field];

  it('puts the new fields in the place of the old', () => {
    const after = applyChanges(OFFICE, [
      { change: 'splitField', table: 't_borrower', field: 'f_bName', separator: ' ', into },
    ]);
    expect(after.tables[0]!.fields.map(({ id }) => id)).toEqual([
      'f_bNo',
      'f_a',
      'f_b',
      'f_bEmail',
      'f_bActive',
    ]);
  });

  it('works on what the file holds, not on what the draft makes', () => {
    const convert = {
      change: 'changeField',
      table: 't_borrower',
      field: 'f_bName',
      set: {},
      convert: {},
    } as const;
    const split = {
      change: 'splitField',
      table: 't_borrower',
      field: 'f_bName',
      separator: ' ',
      into,
    } as const;
    expect(() => applyChanges(OFFICE, [convert, { ...split, into }])).toThrowError(
      ChangeError,
      /apply that first/,
    );
  });

  it('is for texts only', () => {
    const change = {
      change: 'mergeFields',
      table: 't_loan',
      fields: ['f_lFee', 'f_lNote'] as [string, string],
      separator: ' ',
      into: into[0],
    } as const;
    const changes = [{ ...change }];
    const { notices } = checkPlan(OFFICE, evolve(OFFICE, changes), changes);
    expect(notices.map(({ message }) => message)).toContain(
      'Fee is no text: only texts are split and merged. Make it a text first.',
    );
  });
});

describe('links in words', () => {
  const words = (rest: Partial<Field>, type: Partial<FieldType & { kind: 'lookup' }> = {}): string => {
    const child = table('loan', [
      field('n', 'number', number),
      field('b', 'borrower', { ...lookup('borrower'), ...type } as FieldType, rest),
    ]);
    const design = { ...OFFICE, tables: [OFFICE.tables[0]!, child] };
    return linkWords(linksFrom(design, child)[0]!);
  };

  it('say how many on each side, and what a deletion does', () => {
    expect(words({ alwaysFilled: true })).toBe(
      'Each loan belongs to exactly one borrower (Borrower); a borrower can have any number of loans. A borrower that still has loans cannot be deleted.',
    );
    expect(words({}, { onDelete: 'leaveEmpty' })).toContain('at most one borrower');
    expect(words({}, { onDelete: 'leaveEmpty' })).toContain('Borrower of its loans is left empty.');
    expect(words({ noTwoAlike: true }, { onDelete: 'deleteAlong' })).toContain(
      'a borrower can have one loan.',
    );
  });
});

describe('rules put together', () => {
  const LOAN = OFFICE.tables[1]!;
  const at = (id: string): Field => LOAN.fields.find((item) => item.id === `f_${id}`)!;
  const reading = { locale: BRITISH, today: '2026-11-25' };
  const cases: [Shape, Parameters<typeof shapeRule>[1], string][] = [
    ['between', { field: at('lFee'), values: ['1', '£9.50'] }, 'fee BETWEEN 1.00 AND 9.50'],
    [
      'between',
      { field: at('lDue'), values: ['1/1/26', '31 dec 26'] },
      "due_back BETWEEN DATE '2026-01-01' AND DATE '2026-12-31'",
    ],
    ['oneOf', { field: at('lState'), values: ['Out', 'back'] }, "state IN ('Out', 'Back')"],
    ['after', { field: at('lDue'), other: at('lFrom'), values: [] }, 'due_back > lent_on'],
    ['matches', { field: at('lNote'), values: ["it's%"] }, "note LIKE 'it''s%'"],
    ['yearsAgo', { field: at('lFrom'), values: ['18'] }, "lent_on <= CURRENT_DATE - INTERVAL '18' YEAR"],
    ['notFuture', { field: at('lFrom'), values: [] }, 'lent_on <= CURRENT_DATE'],
    [
      'requiredWhen',
      { field: at('lNote'), other: at('lState'), values: ['Back'] },
      "note IS NOT NULL OR state IS DISTINCT FROM 'Back'",
    ],
    [
      'requiredWhen',
      { field: at('lNote'), other: at('lFee'), values: [] },
      'note IS NOT NULL OR fee IS NULL',
    ],
    [
      'noOverlap',
      {
        field: at('lFrom'),
        other: at('lDue'),
        same: { lookup: at('lBorrower'), children: 'loans', key: at('lNo') },
        values: [],
      },
      "COUNT(borrower.loans) FILTER (WHERE borrower.loans.number IS DISTINCT FROM number AND borrower.loans.lent_on < COALESCE(due_back, DATE '9999-12-31') AND COALESCE(borrower.loans.due_back, DATE '9999-12-31') > lent_on) = 0",
    ],
  ];
  for (const [shape, parts, expected] of cases)
    it(`${SHAPES[shape]}: ${expected.slice(0, 50)}`, () => {
      const made = shapeRule(shape, parts, reading);
      expect(made.ok && made.expression).toBe(expected);
      expect(() => bindCondition(expected, { catalog: catalogOf(OFFICE), table: 't_loan' })).not.toThrow();
    });

  it('say what is missing', () => {
    for (const shape of Object.keys(SHAPES) as Shape[]) {
      if (shape === 'notFuture') continue;
      const made = shapeRule(shape, { field: at('lFee'), values: ['x'] }, reading);
      if (shape === 'matches') expect(made.ok).toBeTrue();
      else expect(made.ok).withContext(shape).toBeFalse();
    }
  });
});

describe('the map in SVG', () => {
  it('escapes what stands on it', () => {
    const svg = mapSvg({
      title: 'A & "B"',
      width: 100,
      height: 50,
      cards: [
        {
          x: 0,
          y: 0,
          width: 50,
          height: 40,
          title: '<b>',
          lines: [{ text: 'x', link: true }],
          foot: '1 row',
        },
      ],
      links: ['M0 0L1 1'],
    });
    expect(svg).toContain('&lt;b&gt;');
    expect(svg).toContain('<title>A &amp; &quot;B&quot;</title>');
    expect(svg.match(/<path/g)!.length).toBe(2);
  });
});

describe('reading a foreign schema', () => {
  it('finds the conditions of its CHECKs, and nothing in texts and comments', () => {
    expect(
      checksIn(`CREATE TABLE x (a INT CHECK (a > 0 AND (b < 3)), "check" TEXT DEFAULT 'CHECK (no)', -- CHECK (not me)
        b TEXT CONSTRAINT c CHECK(b <> ')') /* check (nor me) */, recheck INT)`),
    ).toEqual(['a > 0 AND (b < 3)', "b <> ')'"]);
  });

  const facts = (rest: Partial<ReturnType<typeof factsFrom>>) => ({ ...factsFrom([10]), ...rest });
  const cases: [string, string, Partial<ReturnType<typeof factsFrom>>, string][] = [
    ['whole numbers', 'INT', { integers: 10, largest: 5 }, 'wholeNumber'],
    ['reals of few places', 'REAL', { reals: 10, places: 2, largest: 5 }, 'decimal'],
    ['reals of many places', 'REAL', { reals: 10, places: 7, largest: 5 }, 'text'],
    ['numbers that are too large', 'INT', { integers: 10, largest: 1e18 }, 'text'],
    ['declared places', 'DECIMAL(8,2)', { integers: 10, largest: 5 }, 'decimal'],
    ['booleans', 'BOOLEAN', { integers: 10, zeroOrOne: 10, largest: 1 }, 'tick'],
    ['dates', 'TEXT', { texts: 10, dates: 10 }, 'date'],
    ['a date among texts', 'DATE', { texts: 10, dates: 9 }, 'text'],
    ['several lines', 'TEXT', { texts: 10, lines: 1 }, 'longText'],
    ['bytes', 'BLOB', { blobs: 10 }, 'file'],
    ['a mixture', '', { texts: 5, integers: 5 }, 'text'],
    ['nothing, declared a date', 'DATE', { rows: 10, nulls: 10 }, 'date'],
    ['nothing, declared a text', 'VARCHAR(3)', { rows: 10, nulls: 10 }, 'text'],
  ];
  for (const [what, type, rest, kind] of cases)
    it(`takes ${what} as ${kind}`, () =>
      expect(kindOf(howFor({ type, facts: facts(rest) }), facts(rest)).kind).toBe(kind as FieldType['kind']));
});

describe('designs that cannot stand', () => {
  const invalid = (fields: Field[], rest = {}): string =>
    validateDesign({ ...OFFICE, tables: [...OFFICE.tables, table('x', fields, rest)] })
      .map(({ message }) => message)
      .join(' | ');
  const no = field('xNo', 'number', number);
  const cases: [string, string, RegExp][] = [
    [
      'a least above the greatest',
      invalid([no, field('a', 'a', { kind: 'wholeNumber', least: '5', greatest: '4' })]),
      /least is more/,
    ],
    [
      'a bound with too many places',
      invalid([no, field('a', 'a', { kind: 'money', places: 1, least: '0.25' })]),
      /more decimal places/,
    ],
    ['a long text as key', invalid([field('a', 'a', { kind: 'longText' })]), /cannot be a key/],
    [
      'a lookup by a query of another table',
      invalid([no, field('a', 'a', { ...lookup('loan'), query: 'q_gone' } as FieldType)]),
      /query whose rows A offers/,
    ],
    [
      'a filter that is no condition',
      invalid([no, field('a', 'a', { ...lookup('loan'), filter: '"#f_lFee"' } as FieldType)]),
      /Which rows are offered/,
    ],
    [
      'narrowing by another kind',
      invalid([
        no,
        field('a', 'a', {
          ...lookup('loan'),
          narrowed: { own: '"#f_xNo"', other: '"#f_lDue"' },
        } as FieldType),
      ]),
      /different kinds/,
    ],
    [
      'a worked-out field that is always filled',
      invalid([
        no,
        field(
          'a',
          'a',
          { kind: 'workedOut', expression: '1', result: { kind: 'wholeNumber' } } as FieldType,
          { alwaysFilled: true },
        ),
      ]),
      /nothing can be asked/,
    ],
    [
      'a worked-out field of another kind',
      invalid([
        no,
        field('a', 'a', { kind: 'workedOut', expression: "'x'", result: { kind: 'date' } } as FieldType),
      ]),
      /is shown as a date/,
    ],
    [
      'an order by what is not kept',
      invalid([no], { order: [{ field: 'f_gone', descending: false }] }),
      /order of Xs/,
    ],
    [
      'a link that does not hold the whole key',
      invalid([no, field('a', 'a', { kind: 'wholeNumber' }), field('b', 'b', { kind: 'wholeNumber' })], {
        links: [
          {
            id: 'l_x',
            name: 'x',
            label: 'X',
            table: 't_loan',
            on: [
              { own: 'f_a', other: 'f_lNo' },
              { own: 'f_b', other: 'f_lNo' },
            ],
            onDelete: 'refuse',
          },
        ],
      }),
      /must hold every key field/,
    ],
  ];
  for (const [what, message, words] of cases) it(`are told: ${what}`, () => expect(message).toMatch(words));
});
