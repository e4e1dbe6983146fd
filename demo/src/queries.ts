import type { Query, QueryJoin } from '@heathridge/core/design';
import { joinsAlong, newQuery, so } from '@heathridge/core/query';
import { fieldId, tableId } from './tables';

const ref = (table: string, name: string): string => `"#${fieldId(table, name)}"`;

const query = (id: string, label: string, from: string, rest: Partial<Query>): Query => ({
  ...newQuery(id, label, { id: from }),
  ...rest,
});

/** The rows of a table that lead to a row by a lookup of theirs. */
const rows = (table: string, lookup: string): string => `"#${fieldId(table, lookup)}"`;

/** Rows of another query beside those of a query, where there are any. */
const beside = (id: string, name: string, from: string, condition: string): QueryJoin => ({
  id,
  at: null,
  by: { by: 'condition', from, condition },
  name,
  keepWithout: true,
});

const toPlayer = fieldId('hire', 'player');
const toSchool = fieldId('player', 'school');

export const QUERIES: readonly Query[] = [
  query('q_overdue', 'Overdue by school', tableId('hire'), {
    joins: joinsAlong([{ path: [toPlayer, toSchool], keepWithout: false }]),
    where: [so(`${ref('hire', 'returned_on')} IS NULL`), so(`${ref('hire', 'due_back')} < CURRENT_DATE`)],
    group: {
      by: [
        {
          id: 'school',
          label: 'School',
          expression: `${ref('hire', 'player')}.${ref('player', 'school')}.${ref('school', 'name')}`,
        },
      ],
      measures: [
        { id: 'hires', label: 'Hires', total: 'count', expression: null },
        { id: 'fees', label: 'Monthly fees', total: 'sum', expression: ref('hire', 'monthly_fee') },
        {
          id: 'late',
          label: 'Longest days late',
          total: 'most',
          expression: `CURRENT_DATE - ${ref('hire', 'due_back')}`,
        },
      ],
    },
    sort: [{ column: 'hires', descending: true }],
    chart: { as: 'bars', along: 'school', values: ['hires'], pile: 'beside' },
  }),
  query('q_neverHired', 'Instruments never hired', tableId('instrument'), {
    where: [so(`COUNT("#${fieldId('hire', 'instrument')}") = 0`)],
    columns: [
      { id: 'number', label: 'Asset number', expression: ref('instrument', 'asset_number') },
      { id: 'kind', label: 'Kind', expression: ref('instrument', 'kind') },
      { id: 'bought', label: 'Bought on', expression: ref('instrument', 'bought_on') },
      { id: 'value', label: 'Value', expression: ref('instrument', 'value') },
    ],
    sort: [{ column: 'value', descending: true }],
  }),
  query('q_repairCost', 'Repair cost by kind', tableId('repair_line'), {
    group: {
      by: [
        {
          id: 'kind',
          label: 'Kind',
          expression: `${ref('repair_line', 'repair')}.${ref('repair', 'instrument')}.${ref('instrument', 'kind')}.${ref('kind', 'name')}`,
        },
      ],
      measures: [
        { id: 'lines', label: 'Lines', total: 'count', expression: null },
        { id: 'cost', label: 'Cost', total: 'sum', expression: ref('repair_line', 'cost') },
        { id: 'mean', label: 'Average cost', total: 'average', expression: ref('repair_line', 'cost') },
      ],
    },
    sort: [{ column: 'cost', descending: true }],
    chart: { as: 'bars', along: 'kind', values: ['cost'], pile: 'beside' },
  }),
  query('q_takings', 'Takings by month and method', tableId('payment'), {
    group: {
      by: [
        { id: 'month', label: 'Month', expression: ref('payment', 'paid_on'), step: 'month' },
        { id: 'method', label: 'Method', expression: ref('payment', 'method') },
      ],
      measures: [
        { id: 'takings', label: 'Takings', total: 'sum', expression: ref('payment', 'amount') },
        { id: 'payments', label: 'Payments', total: 'count', expression: null },
      ],
    },
    sort: [{ column: 'month', descending: false }],
    chart: { as: 'bars', along: 'month', values: ['takings'], split: 'method', pile: 'stacked' },
    pivot: { across: ['method'], heat: true },
  }),
  // Against the same month of the year before: a query beside itself.
  query('q_takingsYears', 'Takings against last year', 'q_takings', {
    joins: [
      beside(
        'j_before',
        'before',
        'q_takings',
        `"#j_before"."#month" = "#month" - INTERVAL '12' MONTH AND "#j_before"."#method" = "#method"`,
      ),
    ],
    where: [so(`"#month" > CURRENT_DATE - INTERVAL '13' MONTH`)],
    columns: [
      { id: 'month', label: 'Month', expression: '"#month"' },
      { id: 'method', label: 'Method', expression: '"#method"' },
      { id: 'takings', label: 'Takings', expression: '"#takings"' },
      { id: 'before', label: 'A year before', expression: '"#j_before"."#takings"' },
      { id: 'more', label: 'More or less', expression: '"#takings" - COALESCE("#j_before"."#takings", 0)' },
    ],
    sort: [
      { column: 'month', descending: false },
      { column: 'method', descending: false },
    ],
    chart: { as: 'lines', along: 'month', values: ['takings', 'before'], pile: 'beside' },
  }),
  query('q_hireDays', 'Days on hire by kind', tableId('hire'), {
    group: {
      by: [
        {
          id: 'kind',
          label: 'Kind',
          expression: `${ref('hire', 'instrument')}.${ref('instrument', 'kind')}.${ref('kind', 'name')}`,
        },
      ],
      measures: [
        {
          id: 'days',
          label: 'Days',
          total: 'sum',
          expression: `COALESCE(${ref('hire', 'returned_on')}, CURRENT_DATE) - ${ref('hire', 'hired_on')}`,
        },
      ],
    },
  }),
  query('q_costPerMonth', 'Repair cost per month on hire', 'q_repairCost', {
    joins: [beside('j_days', 'on_hire', 'q_hireDays', '"#j_days"."#kind" = "#kind"')],
    columns: [
      { id: 'kind', label: 'Kind', expression: '"#kind"' },
      { id: 'cost', label: 'Repair cost', expression: '"#cost"' },
      { id: 'months', label: 'Months on hire', expression: 'ROUND("#j_days"."#days" / 30.4375, 1)' },
      {
        id: 'each',
        label: 'Cost per month on hire',
        expression: 'ROUND("#cost" / NULLIF("#j_days"."#days" / 30.4375, 0), 2)',
      },
    ],
    sort: [{ column: 'each', descending: true }],
    chart: { as: 'bars', along: 'kind', values: ['each'], pile: 'beside' },
  }),
  query('q_brassFree', 'Free to mend brass', tableId('technician'), {
    where: [
      so(
        `COUNT(${rows('mends', 'technician')}) FILTER (WHERE ${rows('mends', 'technician')}.${ref('mends', 'family')}.${ref('family', 'name')} = 'Brass') > 0`,
      ),
      so(
        `COUNT(${rows('repair', 'technician')}) FILTER (WHERE ${rows('repair', 'technician')}.${ref('repair', 'done_on')} IS NULL) = 0`,
      ),
    ],
    columns: [
      { id: 'name', label: 'Technician', expression: ref('technician', 'name') },
      { id: 'jobs', label: 'Jobs so far', expression: `COUNT(${rows('repair', 'technician')})` },
    ],
    sort: [{ column: 'name', descending: false }],
  }),
  query('q_costs', 'Repair cost by instrument', tableId('repair_line'), {
    group: {
      by: [
        {
          id: 'instrument',
          label: 'Instrument',
          expression: `${ref('repair_line', 'repair')}.${ref('repair', 'instrument')}`,
        },
      ],
      measures: [{ id: 'cost', label: 'Repair cost', total: 'sum', expression: ref('repair_line', 'cost') }],
    },
  }),
  query('q_fees', 'Fees by instrument', tableId('payment'), {
    group: {
      by: [
        {
          id: 'instrument',
          label: 'Instrument',
          expression: `${ref('payment', 'hire')}.${ref('hire', 'instrument')}`,
        },
      ],
      measures: [{ id: 'fees', label: 'Fees', total: 'sum', expression: ref('payment', 'amount') }],
    },
  }),
  query('q_costly', 'Cost more than they bring', 'q_costs', {
    joins: [beside('j_fees', 'brought', 'q_fees', '"#j_fees"."#instrument" = "#instrument"')],
    where: [so('"#cost" > COALESCE("#j_fees"."#fees", 0)')],
    columns: [
      { id: 'instrument', label: 'Instrument', expression: '"#instrument"' },
      { id: 'cost', label: 'Repair cost', expression: '"#cost"' },
      { id: 'fees', label: 'Fees', expression: 'COALESCE("#j_fees"."#fees", 0)' },
      { id: 'loss', label: 'Lost on it', expression: '"#cost" - COALESCE("#j_fees"."#fees", 0)' },
    ],
    sort: [{ column: 'loss', descending: true }],
    chart: { as: 'points', across: 'fees', up: 'cost' },
  }),
  query('q_reorder', 'Parts to order', tableId('part'), {
    where: [
      so(`${ref('part', 'in_stock')} < 5`),
      so(
        `COUNT(${rows('repair_line', 'part')}) FILTER (WHERE ${rows('repair_line', 'part')}.${ref('repair_line', 'repair')}.${ref('repair', 'brought_in')} > CURRENT_DATE - INTERVAL '12' MONTH) > 0`,
      ),
    ],
    columns: [
      { id: 'part', label: 'Part', expression: ref('part', 'name') },
      { id: 'stock', label: 'In stock', expression: ref('part', 'in_stock') },
      {
        id: 'used',
        label: 'Used in a year',
        expression: `COUNT(${rows('repair_line', 'part')}) FILTER (WHERE ${rows('repair_line', 'part')}.${ref('repair_line', 'repair')}.${ref('repair', 'brought_in')} > CURRENT_DATE - INTERVAL '12' MONTH)`,
      },
    ],
    sort: [{ column: 'used', descending: true }],
    chart: { as: 'bars', along: 'part', values: ['used', 'stock'], pile: 'beside' },
  }),
  query('q_begun', 'Hires begun by month', tableId('hire'), {
    group: {
      by: [{ id: 'month', label: 'Month', expression: ref('hire', 'hired_on'), step: 'month' }],
      measures: [
        { id: 'hires', label: 'Hires', total: 'count', expression: null },
        { id: 'change', label: 'Against the month before', total: 'change', expression: null },
      ],
    },
    sort: [{ column: 'month', descending: false }],
    chart: { as: 'areas', along: 'month', values: ['hires'], pile: 'stacked' },
  }),
  query('q_noPhone', 'Players without a phone', tableId('player'), {
    where: [so(`${ref('player', 'phone')} IS NULL`), so(ref('player', 'active'))],
    columns: [
      { id: 'surname', label: 'Surname', expression: ref('player', 'surname') },
      { id: 'first', label: 'First name', expression: ref('player', 'first_name') },
      { id: 'school', label: 'School', expression: ref('player', 'school') },
      { id: 'email', label: 'Email', expression: ref('player', 'email') },
    ],
    sort: [{ column: 'surname', descending: false }],
  }),
  query('q_spend', 'Repairs with technician', tableId('repair_line'), {
    joins: joinsAlong([{ path: [fieldId('repair_line', 'repair')], keepWithout: false }]),
    columns: [
      {
        id: 'technician',
        label: 'Technician',
        expression: `${ref('repair_line', 'repair')}.${ref('repair', 'technician')}`,
      },
      { id: 'job', label: 'Job', expression: `${ref('repair_line', 'repair')}.${ref('repair', 'job')}` },
      {
        id: 'instrument',
        label: 'Instrument',
        expression: `${ref('repair_line', 'repair')}.${ref('repair', 'instrument')}`,
      },
      { id: 'work', label: 'Work', expression: ref('repair_line', 'work') },
      {
        id: 'done',
        label: 'Done on',
        expression: `${ref('repair_line', 'repair')}.${ref('repair', 'done_on')}`,
      },
      { id: 'cost', label: 'Cost', expression: ref('repair_line', 'cost') },
    ],
    where: [
      so(`${ref('repair_line', 'repair')}.${ref('repair', 'done_on')} >= CURRENT_DATE - INTERVAL '6' MONTH`),
    ],
  }),
];
