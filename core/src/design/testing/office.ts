import { plainField, plainTable } from '../plain';
import { emptyDesign, type Design, type Field, type FieldType, type Table } from '../schema';

const labelled = (name: string): string => name.charAt(0).toUpperCase() + name.slice(1).replace(/_/g, ' ');

/** A field with everything switched off, for tests. */
export const field = (id: string, name: string, type: FieldType, rest: Partial<Field> = {}): Field =>
  plainField(`f_${id}`, name, labelled(name), type, rest);

export const table = (name: string, fields: Field[], rest: Partial<Table> = {}): Table => ({
  ...plainTable(`t_${name}`, name, labelled(name), `${labelled(name)}s`, fields),
  ...rest,
});

export const number: FieldType = { kind: 'runningNumber', prefix: '', width: 0, first: 1 };
export const lookup = (to: string): FieldType => ({
  kind: 'lookup',
  table: `t_${to}`,
  shows: null,
  onDelete: 'refuse',
});

/** A small design: borrowers, their loans, and the fines on those. */
export const OFFICE: Design = {
  ...emptyDesign(),
  version: 1,
  tables: [
    table(
      'borrower',
      [
        field('bNo', 'number', number),
        field('bName', 'name', { kind: 'text', most: 40 }, { alwaysFilled: true }),
        field('bEmail', 'email', { kind: 'text' }, { noTwoAlike: true }),
        field('bActive', 'active', { kind: 'tick' }, { start: 'TRUE' }),
      ],
      { display: '"#f_bName"' },
    ),
    table(
      'loan',
      [
        field('lNo', 'number', { ...number, first: 1000 }),
        field('lBorrower', 'borrower', lookup('borrower'), { alwaysFilled: true }),
        field('lFrom', 'lent_on', { kind: 'date' }, { alwaysFilled: true, start: 'CURRENT_DATE' }),
        field(
          'lDue',
          'due_back',
          { kind: 'date' },
          {
            rule: {
              id: 'r_due',
              expression: '"#f_lDue" > "#f_lFrom"',
              message: 'It comes back after it was lent.',
            },
          },
        ),
        field('lFee', 'fee', { kind: 'money', places: 2 }, { indexed: true }),
        field('lState', 'state', { kind: 'choice', choices: ['Out', 'Back'] }, { start: "'Out'" }),
        field('lNote', 'note', { kind: 'longText' }),
      ],
      { display: '"#f_lBorrower"."#f_bName"' },
    ),
    table('fine', [
      field('fNo', 'number', number),
      field('fLoan', 'loan', { ...lookup('loan'), onDelete: 'deleteAlong' } as FieldType, {
        alwaysFilled: true,
      }),
      field(
        'fAmount',
        'amount',
        { kind: 'money', places: 2 },
        {
          rule: {
            id: 'r_amount',
            expression: '"#f_fAmount" <= "#f_fLoan"."#f_lFee"',
            message: 'A fine is at most the fee.',
          },
        },
      ),
    ]),
  ],
};
