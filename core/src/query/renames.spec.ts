import { OFFICE } from '../design/testing/office';
import type { Design, Query } from '../design';
import { newQuery } from './new';
import { followNames, namedInSql } from './renames';

const written = (sql: string): Query => ({
  ...newQuery('q_sql', 'In SQL', { id: 't_loan' }),
  written: { sql, columns: [] },
});
/** The office with other names: of a table by its id, or of a field. */
const named = (names: Readonly<Record<string, string>>): Design => ({
  ...OFFICE,
  tables: OFFICE.tables.map((table) => ({
    ...table,
    name: names[table.id] ?? table.name,
    fields: table.fields.map((field) => ({ ...field, name: names[field.id] ?? field.name })),
  })),
});
const followed = (sql: string, names: Readonly<Record<string, string>>): string =>
  followNames(written(sql), OFFICE, named(names)).written!.sql;

describe('names in the SQL of queries', () => {
  const cases: [string, Record<string, string>, string][] = [
    ['SELECT fee FROM loan', { t_loan: 'hire' }, 'SELECT fee FROM hire'],
    ['SELECT l.fee FROM loan AS l', { f_lFee: 'price' }, 'SELECT l.price FROM loan AS l'],
    [
      'SELECT LOAN.Fee, "fee" FROM "loan"',
      { t_loan: 'hire', f_lFee: 'price' },
      'SELECT hire.price, price FROM hire',
    ],
    // Both ways round in one step.
    ['SELECT fee, state FROM loan', { f_lFee: 'state', f_lState: 'fee' }, 'SELECT state, fee FROM loan'],
    // A name that must stand in quotes, and one of which a text or a comment only tells.
    ['SELECT fee FROM loan', { t_loan: 'order' }, 'SELECT fee FROM "order"'],
    [
      "SELECT 'fee', fee -- the fee\nFROM loan",
      { f_lFee: 'price' },
      "SELECT 'fee', price -- the fee\nFROM loan",
    ],
    // What is called like it and is something else: a function, an answer.
    ['SELECT fee(1), :fee, fee FROM loan', { f_lFee: 'price' }, 'SELECT fee(1), :fee, price FROM loan'],
    ['SELECT [fee], `fee` FROM loan', { f_lFee: 'the price' }, 'SELECT "the price", "the price" FROM loan'],
    // A table that it does not read.
    ['SELECT fee FROM other', { f_lFee: 'price', t_loan: 'hire' }, 'SELECT fee FROM other'],
  ];
  for (const [sql, names, expected] of cases)
    it(`follow in ${sql.replace('\n', ' ')}`, () => expect(followed(sql, names)).toBe(expected));

  it('stay where more than one thing is called so', () => {
    const [borrower, loan] = OFFICE.tables as [Design['tables'][0], Design['tables'][0]];
    const sql = 'SELECT l.number, b.number FROM loan AS l JOIN borrower AS b ON l.borrower = b.number';
    const number = (table: Design['tables'][0]) => table.fields.find(({ name }) => name === 'number')!;
    expect(number(loan).id).not.toBe(number(borrower).id);
    const ask = (table: Design['tables'][0], field?: Design['tables'][0]['fields'][0]) =>
      namedInSql(OFFICE, written(sql), { table, field });
    expect(ask(loan, number(loan))).toBe('unclear');
    expect(followed(sql, { [number(loan).id]: 'no' })).toBe(sql);
    // The lookup of a loan is called as the table is.
    expect(ask(borrower)).toBe('unclear');
    expect(ask(loan)).toBe('clear');
    expect(ask(OFFICE.tables[2]!)).toBeNull();
    expect(namedInSql(OFFICE, newQuery('q', 'Q', { id: 't_loan' }), { table: loan })).toBeNull();
  });
});
