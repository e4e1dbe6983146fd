import {
  fieldOf,
  tableOf,
  type Board,
  type ButtonAct,
  type Design,
  type Form,
  type FormButton,
  type FormPart,
  type FormWorked,
  type Report,
} from '@heathridge/core/design';
import { asList, cardsFrom, cellFor, formFromTable, mapParts } from '@heathridge/core/form';
import { fieldId, tableId } from './tables';

const ref = (table: string, name: string): string => `"#${fieldId(table, name)}"`;

export const REPORTS: readonly Report[] = [
  {
    type: 'report',
    id: 'p_spend',
    label: 'Repair spend by technician',
    source: { kind: 'query', id: 'q_spend' },
    columns: [
      { column: 'job', label: 'Job', sum: false },
      { column: 'instrument', label: 'Instrument', sum: false },
      { column: 'work', label: 'Work', sum: false },
      { column: 'done', label: 'Done on', sum: false },
      { column: 'cost', label: 'Cost', sum: true },
    ],
    group: { column: 'technician', newPage: false },
    sort: { column: 'done', descending: false },
    paper: 'A4 tall',
  },
  {
    type: 'report',
    id: 'p_overdue',
    label: 'Overdue hires by school',
    source: { kind: 'query', id: 'q_overdue' },
    columns: ['school', 'hires', 'fees', 'late'].map((column, i) => ({
      column,
      label: ['School', 'Hires', 'Monthly fees', 'Longest days late'][i]!,
      sum: column === 'hires' || column === 'fees',
    })),
    group: null,
    sort: null,
    paper: 'A4 tall',
  },
  {
    type: 'report',
    id: 'p_received',
    label: 'Payments received',
    source: { kind: 'table', id: tableId('payment') },
    columns: ['receipt', 'hire', 'paid_on', 'amount', 'note'].map((name) => ({
      column: fieldId('payment', name),
      label: name === 'paid_on' ? 'Paid on' : `${name.charAt(0).toUpperCase()}${name.slice(1)}`,
      sum: name === 'amount',
    })),
    group: null,
    sort: { column: fieldId('payment', 'paid_on'), descending: false },
    paper: 'A4 tall',
  },
];

/** Parts with others behind the last of their cells. */
function withBesideCells(parts: readonly FormPart[], ...others: FormPart[]): FormPart[] {
  const last = parts.map(({ part }) => part !== 'subform').lastIndexOf(true);
  return [...parts.slice(0, last + 1), ...others, ...parts.slice(last + 1)];
}

const button = (id: string, label: string, does: ButtonAct): FormButton => ({
  part: 'button',
  id,
  label,
  width: 3,
  does,
});

/** What the day brings, side by side: how much there is, and the rows themselves, for all or of one instrument. */
export const BOARDS: readonly Board[] = [
  {
    type: 'board',
    id: 'h_overview',
    label: 'Overview',
    parts: [
      { part: 'number', id: 'k_late', width: 4, height: 2, screen: 'o_late' },
      {
        part: 'number',
        id: 'k_repairs',
        width: 4,
        height: 2,
        label: 'In the workshop',
        screen: 'o_workshop',
      },
      { part: 'number', id: 'k_hires', width: 4, height: 2, label: 'All hires', screen: 'o_hireDesk' },
      { part: 'list', id: 'k_lateList', width: 7, height: 8, screen: 'o_late' },
      { part: 'list', id: 'k_repairList', width: 5, height: 8, label: 'Repairs', screen: 'o_repairs' },
      { part: 'list', id: 'k_cards', width: 12, height: 10, screen: 'o_workshop' },
    ],
    filters: [
      { by: 'row', id: 'v_instrument', label: 'Instrument', table: tableId('instrument'), ways: [] },
      {
        by: 'days',
        id: 'v_days',
        label: 'Begun',
        starts: 'all',
        ways: [
          { part: 'k_late', way: [fieldId('hire', 'hired_on')] },
          { part: 'k_lateList', way: [fieldId('hire', 'hired_on')] },
          { part: 'k_hires', way: [fieldId('hire', 'hired_on')] },
          { part: 'k_repairs', way: [fieldId('repair', 'brought_in')] },
          { part: 'k_repairList', way: [fieldId('repair', 'brought_in')] },
          { part: 'k_cards', way: [fieldId('repair', 'brought_in')] },
        ],
      },
    ],
  },
];

/** The screens on the Desk: each made from its table in one step, as a builder would. */
export function demoForms(design: Design): Form[] {
  const make = (name: string, id: string, label: string, levels = 1): Form => {
    const table = design.tables.find(({ id: own }) => own === tableId(name))!;
    return formFromTable(design, table, id, label, levels);
  };
  const worked = (
    id: string,
    label: string,
    expression: string,
    result: FormWorked['result'] = { kind: 'money', places: 2 },
  ): FormWorked => ({ part: 'worked', id, label, width: 3, expression, result });
  const hire = make('hire', 'o_hireDesk', 'Hire desk');
  const repair = make('repair', 'o_repairs', 'Repairs');
  const player = make('player', 'o_players', 'Players', 2);
  const late = asList(make('hire', 'o_late', 'Late back'));
  const lateShows = new Set(
    ['hire_number', 'player', 'instrument', 'hired_on', 'due_back', 'monthly_fee'].map((name) =>
      fieldId('hire', name),
    ),
  );
  // The kind tells the family, and a note has a line of its own on the screen of the instrument.
  const aside = new Set(['note', 'family'].map((name) => fieldId('instrument', name)));
  const stock = asList(make('instrument', 'o_stock', 'Stock', 2));
  const repairs = tableOf(design, tableId('repair'));
  const workshop = cardsFrom(
    asList(make('repair', 'o_workshop', 'Workshop')),
    repairs,
    fieldId('repair', 'state'),
    true,
  );
  const cost = `SUM(${ref('repair_line', 'repair')}.${ref('repair_line', 'cost')})`;
  const school = `${ref('hire', 'player')}.${ref('player', 'school')}.${ref('school', 'name')}`;
  const price = `${ref('repair_line', 'part')}.${ref('part', 'price')}`;
  return [
    {
      ...hire,
      parts: withBesideCells(
        hire.parts,
        { ...worked('w_school', 'School', school, { kind: 'text', most: null }), width: 6 },
        button('b_back', 'Back today', {
          act: 'change',
          rows: 'this',
          of: null,
          conditions: [`${ref('hire', 'returned_on')} IS NULL`],
          sets: [{ field: fieldId('hire', 'returned_on'), expression: 'CURRENT_DATE' }],
        }),
        button('b_received', 'Payments on paper', { act: 'print', report: 'p_received' }),
      ),
    },
    // The stock beneath one another, to be mended in place; the repairs of one follow, then what was done in each.
    {
      ...stock,
      list: { starts: 'rows', saves: 'row' },
      rights: { add: false, change: true, delete: false },
      parts: mapParts(stock.parts, (part) => {
        if (part.part === 'cell' && aside.has(part.field)) return null;
        if (part.part !== 'subform' || part.link !== fieldId('hire', 'instrument')) return part;
        return {
          ...part,
          label: 'Out with',
          look: 'grid',
          most: 1,
          conditions: [`${ref('hire', 'returned_on')} IS NULL`],
          parts: ['player', 'due_back'].map((name) =>
            cellFor(fieldOf(tableOf(design, tableId('hire')), fieldId('hire', name))!),
          ),
        };
      }),
    },
    // What is out and should be back: how many there are stands on Today.
    {
      ...late,
      list: { ...late.list!, watch: true },
      conditions: [`${ref('hire', 'returned_on')} IS NULL`, `${ref('hire', 'due_back')} < CURRENT_DATE`],
      order: [{ field: fieldId('hire', 'due_back'), descending: false }],
      parts: late.parts.flatMap((part) => {
        if (part.part !== 'cell' || !lateShows.has(part.field)) return [];
        return part.field === fieldId('hire', 'instrument')
          ? [{ ...part, picture: fieldId('instrument', 'picture') }]
          : [part];
      }),
    },
    // What was paid stands within each hire, and what was mended within each repair.
    {
      ...player,
      parts: withBesideCells(
        player.parts,
        button('b_hire', 'New hire', { act: 'open', screen: hire.id, link: fieldId('hire', 'player') }),
      ),
    },
    make('instrument', 'o_instruments', 'Instruments', 2),
    {
      ...repair,
      parts: [
        ...mapParts(repair.parts, (part) => {
          if (part.part === 'subform' && part.link === fieldId('repair_line', 'repair'))
            return { ...part, parts: [...part.parts, worked('w_price', 'Price of the part', price)] };
          // What was mended stays what it was.
          return part.part === 'cell' && part.field === fieldId('repair', 'instrument')
            ? { ...part, readIf: `${ref('repair', 'done_on')} IS NOT NULL` }
            : part;
        }),
        worked('w_cost', 'Cost of this repair', `COALESCE(${cost}, 0)`),
      ],
    },
    // What is in the workshop, and what has lately left it, by how far it is.
    {
      ...workshop,
      conditions: [
        `${ref('repair', 'done_on')} IS NULL OR ${ref('repair', 'done_on')} > CURRENT_DATE - INTERVAL '3' MONTH`,
      ],
      order: [{ field: fieldId('repair', 'brought_in'), descending: false }],
      parts: workshop.parts.filter(
        (part) => part.part === 'cell' && part.field !== fieldId('repair', 'done_on'),
      ),
    },
  ];
}
