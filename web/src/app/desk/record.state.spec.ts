import { emptyDesign } from '@heathridge/core/design';
import { formFromTable } from '@heathridge/core/form';
import { OFFICE } from '../../../../core/src/design/testing/office';
import type { RecordData } from '../shared/api.service';
import type { KeptRecord } from './record-drafts.service';
import { designOf, RecordState } from './record.state';

const CLOCK = { today: '2026-11-25', now: '2026-11-25T09:00:00Z' };
const LOAN = OFFICE.tables[1]!;
const FORM = formFromTable(OFFICE, LOAN, 'o_loan');
const DATA: RecordData = {
  record: {
    key: [1000],
    cells: {
      f_lNo: 1000,
      f_lBorrower: [1, 'Ada'],
      f_lFrom: '2026-11-01',
      f_lDue: '2026-12-01',
      f_lFee: '3.50',
      f_lState: 'Out',
      f_lNote: null,
    },
  },
  subforms: [
    { link: 'f_fLoan', rows: [{ key: [7], cells: { f_fNo: 7, f_fLoan: [1000, 'Ada'], f_fAmount: '1.00' } }] },
  ],
};

describe('RecordState', () => {
  const state = (data: RecordData | null = DATA): RecordState =>
    new RecordState(designOf(OFFICE.tables, emptyDesign().settings), FORM, data, CLOCK);
  const fieldOf = (id: string) => LOAN.fields.find((field) => field.id === id)!;
  const AMOUNT = OFFICE.tables[2]!.fields[2]!;

  it('begins clean, with texts for lookups', () => {
    const record = state();
    expect(record.dirty()).toBeFalse();
    expect(record.record().held['f_lBorrower']).toEqual({ value: 1, text: 'Ada' });
    expect(record.changesToSave().changes).toEqual([]);
  });

  it('sends only what changed, with what it was', () => {
    const record = state();
    record.change(record.record(), fieldOf('f_lFee'), { value: '4.00' });
    expect(record.dirty()).toBeTrue();
    expect(record.changesToSave().changes).toEqual([
      { op: 'update', table: 't_loan', key: [1000], values: { f_lFee: '4.00' }, was: { f_lFee: '3.50' } },
    ]);
    record.change(record.record(), fieldOf('f_lFee'), { value: '3.50' });
    expect(record.dirty()).toBeFalse();
  });

  it('marks what cannot be worked out, as it comes and as it is typed', () => {
    const type = {
      kind: 'workedOut',
      expression: 'CAST("#f_lNote" AS INTEGER)',
      result: { kind: 'wholeNumber' },
    } as const;
    const worked = {
      ...fieldOf('f_lFee'),
      id: 'f_lWorked',
      name: 'worked',
      label: 'Worked',
      indexed: false,
      type,
    };
    const loan = { ...LOAN, fields: [...LOAN.fields, worked] };
    const tables = OFFICE.tables.map((table) => (table.id === LOAN.id ? loan : table));
    const cells = { ...DATA.record.cells, f_lNote: 'none', f_lWorked: { fault: 'cast' } as const };
    const form = {
      ...FORM,
      fields: [...FORM.fields, { field: 'f_lWorked', people: 'read' as const, width: 3 }],
    };
    const record = new RecordState(
      designOf(tables, emptyDesign().settings),
      form,
      { ...DATA, record: { key: [1000], cells } },
      CLOCK,
    );
    expect(record.record().held['f_lWorked']).toEqual({ value: null, fault: 'cast' });
    record.change(record.record(), fieldOf('f_lNote'), { value: '12' });
    expect(record.record().held['f_lWorked']).toEqual({ value: 12 });
    record.change(record.record(), fieldOf('f_lNote'), { value: 'no number' });
    expect(record.record().held['f_lWorked']).toEqual({ value: null, fault: 'cast' });
  });

  it('starts a new record with starting values, and is not dirty for it', () => {
    const record = state(null);
    expect(record.isNew).toBeTrue();
    expect(record.record().held['f_lFrom']).toEqual({ value: '2026-11-25' });
    expect(record.dirty()).toBeFalse();
  });

  it('sends a parent before its children and names it in them', () => {
    const record = state(null);
    record.change(record.record(), fieldOf('f_lBorrower'), { value: 1, text: 'Ada' });
    const child = record.addChild('f_fLoan');
    record.change(child, AMOUNT, { value: '0.50' });
    record.addChild('f_fLoan');
    const { changes, rows } = record.changesToSave();
    expect(changes.map(({ op, table }) => `${op} ${table}`)).toEqual(['insert t_loan', 'insert t_fine']);
    const [parent, fine] = changes;
    expect(fine).toEqual(
      jasmine.objectContaining({ values: { f_fAmount: '0.50', f_fLoan: { temp: rows[0]!.id } } }),
    );
    expect(parent?.op === 'insert' && parent.temp).toBe(rows[0]!.id);
  });

  it('takes new rows away at once and marks saved ones as deleted', () => {
    const record = state();
    record.removeChild(record.addChild('f_fLoan'));
    expect(record.children()[0]!.rows.length).toBe(1);
    record.removeChild(record.children()[0]!.rows[0]!);
    expect(record.changesToSave().changes).toEqual([{ op: 'delete', table: 't_fine', key: [7] }]);
    record.removeChild(record.children()[0]!.rows[0]!);
    expect(record.dirty()).toBeFalse();
  });

  it('says at once when a rule is broken, and takes it back when it holds again', () => {
    const record = state();
    record.change(record.record(), fieldOf('f_lDue'), { value: '2026-10-01' });
    expect(record.errorAt(record.record(), 'f_lDue')).toBe('It comes back after it was lent.');
    // The other side of the rule puts it right.
    record.change(record.record(), fieldOf('f_lFrom'), { value: '2026-09-01' });
    expect(record.errorAt(record.record(), 'f_lDue')).toBe('');
  });

  it('does not let unread typing be saved, nor forgets it', () => {
    const record = state();
    record.change(record.record(), fieldOf('f_lFee'), {
      value: '3.50',
      typed: 'lots',
      problem: '“lots” is not a number.',
    });
    expect(record.dirty()).toBeTrue();
    expect(record.check()).toBeFalse();
    expect(record.errorAt(record.record(), 'f_lFee')).toBe('“lots” is not a number.');
  });

  it('asks for what is always filled before it is sent', () => {
    const record = state(null);
    expect(record.check()).toBeFalse();
    expect(record.errorAt(record.record(), 'f_lBorrower')).toBe('Borrower is always filled.');
  });

  it('puts errors of the server beside their fields, and lets a clash be settled by saving again', () => {
    const record = state();
    record.change(record.record(), fieldOf('f_lFee'), { value: '5.00' });
    const { rows } = record.changesToSave();
    record.refuse(
      [
        {
          change: 0,
          table: 't_loan',
          key: [1000],
          field: 'f_lFee',
          rule: null,
          message: 'Somebody else has changed Fee meanwhile.',
          theirs: '4.00',
        },
      ],
      rows,
    );
    expect(record.errorAt(record.record(), 'f_lFee')).toContain('They put “4.00”');
    expect(record.record().held['f_lFee']).toEqual({ value: '5.00' });
    expect(record.changesToSave().changes).toEqual([jasmine.objectContaining({ was: { f_lFee: '4.00' } })]);
  });

  it('sends nothing for fields that are only for reading', () => {
    const form = {
      ...FORM,
      fields: FORM.fields.map((item) =>
        item.field === 'f_lFee' ? { ...item, people: 'read' as const } : item,
      ),
    };
    const record = new RecordState(designOf(OFFICE.tables, emptyDesign().settings), form, DATA, CLOCK);
    record.change(record.record(), fieldOf('f_lFee'), { value: '4.00' });
    expect(record.changesToSave().changes).toEqual([]);
  });

  describe('what is kept of it', () => {
    const again = (record: RecordState): RecordState => {
      const picked = state();
      picked.restore(JSON.parse(JSON.stringify(record.kept())) as KeptRecord);
      return picked;
    };

    it('is put back as it was typed: values, what cannot be read, rows of subforms', () => {
      const record = state();
      record.change(record.record(), fieldOf('f_lFee'), { value: '4.00' });
      record.change(record.record(), fieldOf('f_lDue'), {
        value: null,
        typed: 'soon',
        problem: 'This is no date.',
      });
      const [fine] = record.children()[0]!.rows;
      record.change(fine!, AMOUNT, { value: '2.00' });
      record.change(record.addChild('f_fLoan'), AMOUNT, { value: '9.00' });
      const picked = again(record);
      expect(picked.record().held['f_lFee']).toEqual(jasmine.objectContaining({ value: '4.00' }));
      expect(picked.record().held['f_lDue']).toEqual(
        jasmine.objectContaining({ typed: 'soon', problem: 'This is no date.' }),
      );
      const ops = (of: RecordState) => of.changesToSave().changes.map(({ op, table }) => `${op} ${table}`);
      expect(ops(picked)).toEqual(ops(record));
      expect(ops(picked)).toEqual(['update t_loan', 'update t_fine', 'insert t_fine']);
    });

    it('keeps what the file held then, so that a change by others is told', () => {
      const record = state();
      record.change(record.record(), fieldOf('f_lFee'), { value: '4.00' });
      const kept = record.kept();
      const others = { ...DATA.record.cells, f_lFee: '7.00', f_lNote: 'theirs' };
      const picked = state({ ...DATA, record: { key: [1000], cells: others } });
      picked.restore(kept);
      expect(picked.changesToSave().changes).toEqual([
        { op: 'update', table: 't_loan', key: [1000], values: { f_lFee: '4.00' }, was: { f_lFee: '3.50' } },
      ]);
      expect(picked.record().held['f_lNote']).toEqual({ value: 'theirs' });
    });

    it('marks rows that were to be deleted, and passes over those that are gone', () => {
      const record = state();
      record.removeChild(record.children()[0]!.rows[0]!);
      expect(again(record).changesToSave().changes).toEqual([{ op: 'delete', table: 't_fine', key: [7] }]);
      const gone = state({ ...DATA, subforms: [{ link: 'f_fLoan', rows: [] }] });
      gone.restore(record.kept());
      expect(gone.dirty()).toBeFalse();
    });

    it('asks for a choice that was still being searched', () => {
      const record = state();
      record.change(record.record(), fieldOf('f_lBorrower'), {
        value: 1,
        text: 'Ada',
        typed: 'Gr',
        sought: true,
      });
      const picked = again(record);
      expect(picked.seeking()).toBeFalse();
      expect(picked.record().held['f_lBorrower']!.problem).toBe('Please choose it again.');
    });
  });
});
