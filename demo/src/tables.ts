import type { Change } from '@heathridge/core/change';
import { plainField, type Field, type FieldType, type Table } from '@heathridge/core/design';

type Options = Partial<Pick<Field, 'alwaysFilled' | 'noTwoAlike' | 'indexed' | 'start' | 'rule' | 'label'>>;

const labelOf = (name: string): string => name.charAt(0).toUpperCase() + name.slice(1).replace(/_/g, ' ');

/** `f('hire', 'due_back', …)` has the id `f_hireDueBack`, so that definitions can name it. */
export const fieldId = (table: string, name: string): string =>
  `f_${`${table}_${name}`.replace(/_(\w)/g, (_, letter: string) => letter.toUpperCase())}`.slice(0, 26);

export const tableId = (table: string): string =>
  `t_${table.replace(/_(\w)/g, (_, letter: string) => letter.toUpperCase())}`;

const f = (table: string, name: string, type: FieldType, options: Options = {}): Field =>
  plainField(fieldId(table, name), name, labelOf(name), type, options);

const text = (most: number | null = 80): FieldType => ({ kind: 'text', most });
const money: FieldType = { kind: 'money', places: 2 };
const date: FieldType = { kind: 'date' };
const number = (prefix: string, width = 4, first = 1): FieldType => ({
  kind: 'runningNumber',
  prefix,
  width,
  first,
});
type Lookup = Extract<FieldType, { kind: 'lookup' }>;

const lookup = (
  table: string,
  onDelete: Lookup['onDelete'] = 'refuse',
  rest: Partial<Lookup> = {},
): FieldType => ({
  kind: 'lookup',
  table: tableId(table),
  shows: null,
  onDelete,
  ...rest,
});
const filled = { alwaysFilled: true };

function table(
  name: string,
  label: string,
  plural: string,
  fields: readonly Field[],
  display: string | null,
  key = [fields[0]!.id],
): Table {
  return {
    type: 'table',
    id: tableId(name),
    name,
    label,
    plural,
    fields: [...fields],
    key,
    display,
    rules: [],
    links: [],
    noTwoAlike: [],
    order: [],
  };
}

const ref = (tableName: string, name: string): string => `"#${fieldId(tableName, name)}"`;
const rule = (id: string, expression: string, message: string): Field['rule'] => ({
  id,
  expression,
  message,
});

/** What the office asks only since its old books are in: no instrument is out twice at a time. */
export const OVERLAP: Change = {
  change: 'changeTable',
  table: tableId('hire'),
  set: {
    rules: [
      {
        id: 'r_overlap',
        expression:
          `${ref('hire', 'returned_on')} IS NOT NULL OR COUNT(${ref('hire', 'instrument')}."#${fieldId('hire', 'instrument')}") ` +
          `FILTER (WHERE ${ref('hire', 'instrument')}."#${fieldId('hire', 'instrument')}".${ref('hire', 'hire_number')} IS DISTINCT FROM ${ref('hire', 'hire_number')} ` +
          `AND ${ref('hire', 'instrument')}."#${fieldId('hire', 'instrument')}".${ref('hire', 'returned_on')} IS NULL) = 0`,
        message: `{${ref('hire', 'instrument')}} is out already: it must come back before it is hired again.`,
        newRowsOnly: true,
      },
    ],
  },
};

/** The tables of the demo office, which hires out and repairs musical instruments. */
export const TABLES: readonly Table[] = [
  table(
    'school',
    'School',
    'Schools',
    [
      f('school', 'number', number('S-', 3)),
      f('school', 'name', text(), { ...filled, noTwoAlike: true }),
      f('school', 'district', text(40)),
      f('school', 'phone', text(20)),
    ],
    ref('school', 'name'),
  ),
  table(
    'family',
    'Family',
    'Families',
    [f('family', 'number', number('F-', 2)), f('family', 'name', text(40), { ...filled, noTwoAlike: true })],
    ref('family', 'name'),
  ),
  table(
    'kind',
    'Kind',
    'Kinds',
    [
      f('kind', 'number', number('K-', 3)),
      f('kind', 'name', text(40), { ...filled, noTwoAlike: true }),
      f('kind', 'family', lookup('family'), filled),
    ],
    ref('kind', 'name'),
  ),
  table(
    'player',
    'Player',
    'Players',
    [
      f('player', 'number', number('P-')),
      f('player', 'surname', text(40), { ...filled, indexed: true }),
      f('player', 'first_name', text(40), filled),
      f('player', 'school', lookup('school', 'leaveEmpty')),
      f('player', 'born', date, {
        rule: rule('r_born', `${ref('player', 'born')} < CURRENT_DATE`, 'A date of birth lies in the past.'),
      }),
      f('player', 'phone', text(20)),
      f('player', 'email', text(80)),
      f('player', 'active', { kind: 'tick' }, { start: 'TRUE' }),
      f('player', 'card', { kind: 'text', most: null, pattern: 'A-9999' }, { noTwoAlike: true }),
    ],
    `${ref('player', 'surname')} || ', ' || ${ref('player', 'first_name')}`,
  ),
  table(
    'instrument',
    'Instrument',
    'Instruments',
    [
      f('instrument', 'asset_number', number('A-')),
      f('instrument', 'family', lookup('family')),
      f(
        'instrument',
        'kind',
        lookup('kind', 'refuse', {
          narrowed: { own: ref('instrument', 'family'), other: ref('kind', 'family') },
          columns: [ref('kind', 'family')],
        }),
        filled,
      ),
      f('instrument', 'maker', text(40)),
      f('instrument', 'serial_number', text(20), { noTwoAlike: true }),
      f('instrument', 'bought_on', date),
      f('instrument', 'value', money, {
        rule: rule('r_value', `${ref('instrument', 'value')} >= 0`, 'A value is 0 or more.'),
      }),
      f(
        'instrument',
        'condition',
        {
          kind: 'choice',
          choices: ['New', 'Good', 'Worn', 'Needs repair', 'Retired'],
          colours: { New: 'sky', Good: 'moss', Worn: 'sand', 'Needs repair': 'gorse', Retired: 'slate' },
        },
        { ...filled, start: "'Good'" },
      ),
      f('instrument', 'note', { kind: 'longText' }),
      f('instrument', 'picture', { kind: 'picture' }),
    ],
    `${ref('instrument', 'kind')}.${ref('kind', 'name')} || ' · A-' || SUBSTRING(CAST(10000 + ${ref('instrument', 'asset_number')} AS TEXT) FROM 2)`,
  ),
  table(
    'hire',
    'Hire',
    'Hires',
    [
      f('hire', 'hire_number', number('', 4, 1000)),
      f(
        'hire',
        'player',
        lookup('player', 'refuse', {
          filter: ref('player', 'active'),
          columns: [ref('player', 'school')],
          addHere: true,
        }),
        filled,
      ),
      f(
        'hire',
        'instrument',
        lookup('instrument', 'refuse', { filter: `${ref('instrument', 'condition')} <> 'Retired'` }),
        filled,
      ),
      f('hire', 'hired_on', date, { ...filled, start: 'CURRENT_DATE', indexed: true }),
      f('hire', 'due_back', date, {
        ...filled,
        start: "CURRENT_DATE + INTERVAL '6' MONTH",
        rule: rule(
          'r_dueBack',
          `${ref('hire', 'due_back')} > ${ref('hire', 'hired_on')}`,
          'An instrument comes back after the day it was hired.',
        ),
      }),
      f('hire', 'returned_on', date, {
        rule: rule(
          'r_returned',
          `${ref('hire', 'returned_on')} >= ${ref('hire', 'hired_on')}`,
          'It cannot be returned before it was hired.',
        ),
      }),
      f('hire', 'monthly_fee', money, {
        ...filled,
        rule: rule(
          'r_fee',
          `${ref('hire', 'monthly_fee')} BETWEEN 0 AND 500`,
          'A monthly fee lies between £0 and £500.',
        ),
      }),
      f('hire', 'note', { kind: 'longText' }),
      f('hire', 'paid', {
        kind: 'workedOut',
        expression: `COALESCE(SUM("#${fieldId('payment', 'hire')}".${ref('payment', 'amount')}), 0)`,
        result: { kind: 'money', places: 2 },
      }),
      f('hire', 'entered_by', { kind: 'stamp', of: 'createdBy' }),
      f('hire', 'last_changed', { kind: 'stamp', of: 'changedAt' }),
    ],
    `${ref('hire', 'player')}.${ref('player', 'surname')} || ', ' || ${ref('hire', 'player')}.${ref('player', 'first_name')}`,
  ),
  table(
    'payment',
    'Payment',
    'Payments',
    [
      f('payment', 'receipt', number('R-')),
      f('payment', 'hire', lookup('hire', 'deleteAlong'), filled),
      f('payment', 'paid_on', date, {
        ...filled,
        start: 'CURRENT_DATE',
        rule: rule(
          'r_paidOn',
          `${ref('payment', 'paid_on')} <= CURRENT_DATE`,
          'A payment is entered on the day it comes in, or later.',
        ),
      }),
      f(
        'payment',
        'method',
        { kind: 'choice', choices: ['Card', 'Transfer', 'Cash', 'Cheque'] },
        { ...filled, start: "'Card'" },
      ),
      f('payment', 'amount', money, {
        ...filled,
        rule: rule('r_amount', `${ref('payment', 'amount')} > 0`, 'An amount is more than 0.'),
      }),
      f('payment', 'note', text()),
    ],
    null,
  ),
  table(
    'technician',
    'Technician',
    'Technicians',
    [
      f('technician', 'number', number('T-', 2)),
      f('technician', 'name', text(60), { ...filled, noTwoAlike: true }),
    ],
    ref('technician', 'name'),
  ),
  table(
    'mends',
    'Skill',
    'Skills',
    [
      f('mends', 'technician', lookup('technician', 'deleteAlong'), filled),
      f('mends', 'family', lookup('family', 'deleteAlong'), filled),
      f('mends', 'since', date),
    ],
    null,
    [fieldId('mends', 'technician'), fieldId('mends', 'family')],
  ),
  table(
    'part',
    'Part',
    'Parts',
    [
      f('part', 'number', number('', 4)),
      f('part', 'name', text(60), { ...filled, noTwoAlike: true }),
      f('part', 'price', money),
      f('part', 'in_stock', { kind: 'wholeNumber' }, { start: '0' }),
    ],
    ref('part', 'name'),
  ),
  table(
    'repair',
    'Repair',
    'Repairs',
    [
      f('repair', 'job', number('J-')),
      f('repair', 'instrument', lookup('instrument'), filled),
      f('repair', 'technician', lookup('technician')),
      f('repair', 'brought_in', date, { ...filled, start: 'CURRENT_DATE' }),
      f('repair', 'done_on', date, {
        rule: rule(
          'r_doneOn',
          `${ref('repair', 'done_on')} >= ${ref('repair', 'brought_in')}`,
          'A repair is done on or after the day it was brought in.',
        ),
      }),
      f(
        'repair',
        'state',
        {
          kind: 'choice',
          choices: ['Waiting', 'On the bench', 'Waiting for parts', 'Done'],
          colours: { Waiting: 'sand', 'On the bench': 'sky', 'Waiting for parts': 'gorse', Done: 'moss' },
        },
        { ...filled, start: "'Waiting'" },
      ),
      f('repair', 'fault', { kind: 'longText' }),
    ],
    `${ref('repair', 'instrument')}.${ref('instrument', 'kind')}.${ref('kind', 'name')}`,
  ),
  table(
    'repair_line',
    'Repair line',
    'Repair lines',
    [
      f('repair_line', 'number', number('', 5)),
      f('repair_line', 'repair', lookup('repair', 'deleteAlong'), filled),
      f('repair_line', 'part', lookup('part')),
      f('repair_line', 'work', text(80), filled),
      f(
        'repair_line',
        'hours',
        { kind: 'decimal', places: 2 },
        {
          rule: rule(
            'r_hours',
            `${ref('repair_line', 'hours')} BETWEEN 0 AND 40`,
            'Hours lie between 0 and 40.',
          ),
        },
      ),
      f('repair_line', 'cost', money, filled),
    ],
    ref('repair_line', 'work'),
  ),
];

/** Where the cards of the map lie. */
export const PLACES: Readonly<Record<string, readonly [number, number]>> = {
  school: [40, 70],
  player: [40, 262],
  kind: [40, 556],
  family: [40, 728],
  hire: [282, 70],
  instrument: [282, 402],
  mends: [282, 716],
  payment: [524, 70],
  repair: [524, 300],
  technician: [524, 728],
  part: [766, 70],
  repair_line: [766, 300],
};
