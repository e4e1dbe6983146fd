import { catalogOf, emptyDesign, type Form, type FormWorked } from '@heathridge/core/design';
import { toStored } from '@heathridge/core/expression';
import { formFromTable, mapParts } from '@heathridge/core/form';
import { OFFICE } from '../../../../core/src/design/testing/office';
import type { RecordData } from '../shared/api.service';
import type { KeptRecord } from './record-drafts.service';
import { why } from '../value/held';
import { designOf, heldOf, RecordState } from './record.state';

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
    subforms: [
      {
        link: 'f_fLoan',
        rows: [{ key: [7], cells: { f_fNo: 7, f_fLoan: [1000, 'Ada'], f_fAmount: '1.00' }, subforms: [] }],
        total: 1,
      },
    ],
  },
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

  describe('where others change it meanwhile', () => {
    const [fine] = DATA.record.subforms[0]!.rows;
    const now = (cells: object, rows = [fine!], total = rows.length): RecordData['record'] => ({
      ...DATA.record,
      cells: { ...DATA.record.cells, ...cells },
      subforms: [{ link: 'f_fLoan', rows, total }],
    });

    it('takes what nobody has touched here, and keeps what was typed with what it was', () => {
      const record = state();
      record.change(record.record(), fieldOf('f_lFee'), { value: '4.00' });
      record.change(record.record(), fieldOf('f_lDue'), {
        value: '2026-12-01',
        typed: 'soon',
        problem: 'No date.',
      });
      record.merge(now({ f_lFee: '9.00', f_lState: 'Back', f_lDue: '2027-01-01', f_lBorrower: [2, 'Bo'] }));
      const { held } = record.record();
      expect([held['f_lFee']!.value, held['f_lState']!.value, held['f_lBorrower']]).toEqual([
        '4.00',
        'Back',
        { value: 2, text: 'Bo' },
      ]);
      expect(held['f_lDue']!.typed).toBe('soon');
      // The save says what it was when it was typed: where others have changed the same, it is asked about.
      record.change(record.record(), fieldOf('f_lDue'), { value: '2026-12-01' });
      expect(record.changesToSave().changes).toEqual([
        { op: 'update', table: 't_loan', key: [1000], values: { f_lFee: '4.00' }, was: { f_lFee: '3.50' } },
      ]);
    });

    it('takes rows that have come and leaves out those that have gone, but for what was typed into', () => {
      const other = {
        key: [8],
        cells: { f_fNo: 8, f_fLoan: [1000, 'Ada'], f_fAmount: '2.00' },
        subforms: [],
      };
      const keys = (record: RecordState) => record.record().lists[0]!.rows.map(({ key }) => key?.[0] ?? null);
      const record = state();
      const fresh = record.addChild(record.record(), 'f_fLoan');
      record.change(fresh, AMOUNT, { value: '0.50' });
      record.merge(now({}, [fine!, other as typeof fine & object]));
      expect(keys(record)).toEqual([7, 8, null]);
      record.merge(now({}, [other as typeof fine & object]));
      expect(keys(record)).toEqual([8, null]);
      expect(record.record().lists[0]!.unread).toBe(0);
      const typed = state();
      typed.change(typed.record().lists[0]!.rows[0]!, AMOUNT, { value: '0.75' });
      typed.merge(now({}, []));
      expect(keys(typed)).toEqual([7]);
    });

    it('is the same as before where nothing has changed', () => {
      const record = state();
      record.change(record.record(), fieldOf('f_lNote'), { value: 'mine' });
      const before = record.shownText();
      record.merge(DATA.record);
      expect(record.shownText()).toBe(before);
      expect(record.dirty()).toBeTrue();
    });
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
      parts: [
        ...FORM.parts,
        { part: 'cell' as const, field: 'f_lWorked', people: 'read' as const, width: 3 },
      ],
    };
    const record = new RecordState(
      designOf(tables, emptyDesign().settings),
      form,
      { record: { ...DATA.record, cells } },
      CLOCK,
    );
    expect(record.record().held['f_lWorked']).toEqual({ value: null, fault: 'cast' });
    record.change(record.record(), fieldOf('f_lNote'), { value: '12' });
    expect(record.record().held['f_lWorked']).toEqual({ value: 12 });
    record.change(record.record(), fieldOf('f_lNote'), { value: 'no number' });
    expect(record.record().held['f_lWorked']).toEqual({ value: null, fault: 'cast' });
  });

  it('tells what is wrong in the order in which it is filled in, rows within the record last', () => {
    const record = state(null);
    const child = record.addChild(record.record(), 'f_fLoan');
    record.change(child, AMOUNT, { value: null, typed: 'five', problem: '“five” is not a number.' });
    record.change(record.record(), fieldOf('f_lDue'), { value: '2020-01-01' });
    expect(record.check()).toBeFalse();
    expect(record.told().map(({ words }) => words)).toEqual([
      'Borrower is always filled.',
      'Due back: It comes back after it was lent.',
      'Row 1 of Fines, Amount: “five” is not a number.',
    ]);
    expect(record.told().map(({ row, field }) => [row === record.record().id, field?.id])).toEqual([
      [true, 'f_lBorrower'],
      [true, 'f_lDue'],
      [false, 'f_fAmount'],
    ]);
  });

  describe('with what is worked out on the form', () => {
    const worked = (id: string, expression: string): FormWorked => ({
      part: 'worked',
      id,
      label: id,
      width: 3,
      expression: toStored(expression, catalogOf(OFFICE), 't_loan'),
      result: { kind: 'money', places: 2 },
    });
    const form: Form = {
      ...FORM,
      parts: [
        ...FORM.parts,
        worked('w_rest', 'fee - COALESCE(SUM(fines.amount), 0)'),
        { ...worked('w_who', "borrower.name || '!'"), result: { kind: 'text', most: null } },
      ],
    };
    const known = { cells: {}, links: { f_lBorrower: { cells: { f_bName: 'Ada' }, links: {} } } };
    const open = (data: RecordData | null): RecordState =>
      new RecordState(designOf(OFFICE.tables, emptyDesign().settings), form, data, CLOCK);
    const rest = (record: RecordState) => record.record().held['w_rest']?.value;

    it('follows what is typed, in the record and in the rows within it, exactly', () => {
      const record = open({ record: { ...DATA.record, beyond: known } });
      expect(rest(record)).toBe('2.50');
      record.change(record.record(), fieldOf('f_lFee'), { value: '10.10' });
      expect(rest(record)).toBe('9.10');
      const child = record.addChild(record.record(), 'f_fLoan');
      record.change(child, AMOUNT, { value: '9.20' });
      expect(rest(record)).toBe('-0.10');
      record.removeChild(record.record().lists[0]!.rows[0]!);
      expect(rest(record)).toBe('0.90');
      record.removeChild(record.record().lists[0]!.rows[0]!);
      expect(rest(record)).toBe('-0.10');
      // It is no value of a field: nothing of it is sent.
      expect(JSON.stringify(record.changesToSave().changes)).not.toContain('w_rest');
    });

    it('is never sent, though a field that is worked out has its value on a new record', () => {
      const paid = {
        ...fieldOf('f_lFee'),
        id: 'f_lPaid',
        name: 'paid',
        label: 'Paid',
        indexed: false,
        type: {
          kind: 'workedOut',
          expression: 'SUM("#f_fLoan"."#f_fAmount")',
          result: { kind: 'money', places: 2 },
        },
      } as const;
      const tables = OFFICE.tables.map((table) =>
        table.id === LOAN.id ? { ...LOAN, fields: [...LOAN.fields, paid] } : table,
      );
      const shown = { part: 'cell', field: 'f_lPaid', people: 'type', width: 3 } as const;
      const record = new RecordState(
        designOf(tables, emptyDesign().settings),
        { ...FORM, parts: [...FORM.parts, shown] },
        null,
        CLOCK,
      );
      const child = record.addChild(record.record(), 'f_fLoan');
      record.change(child, AMOUNT, { value: '1.25' });
      expect(record.record().held['f_lPaid']?.value).toBe('1.25');
      for (const change of record.changesToSave().changes)
        expect(Object.keys('values' in change ? change.values : {})).not.toContain('f_lPaid');
    });

    it('asks for the row to which a lookup has come to lead, and takes it for as long as it does', () => {
      const record = open({ record: { ...DATA.record, beyond: known } });
      const who = () => record.record().held['w_who']?.value;
      expect([who(), record.sought()]).toEqual(['Ada!', []]);
      record.change(record.record(), fieldOf('f_lBorrower'), { value: 2, text: 'Bo' });
      const [sought] = record.sought();
      expect(sought).toEqual({ row: record.record().id, path: [], link: 'f_lBorrower', key: 2 });
      record.know({ ...sought!, key: 3 }, { cells: { f_bName: 'Too late' }, links: {} });
      expect(record.sought().length).toBe(1);
      record.know(sought!, { cells: { f_bName: 'Bo' }, links: {} });
      expect([who(), record.sought()]).toEqual(['Bo!', []]);
      record.change(record.record(), fieldOf('f_lBorrower'), { value: null, text: null });
      expect([who(), record.sought()]).toEqual([null, []]);
    });

    it('says what the file said while not all it reads is here', () => {
      const { cells, subforms, key } = DATA.record;
      const record = open({
        record: {
          key,
          cells: { ...cells, w_rest: '-7.00', w_who: 'Ada!' },
          beyond: known,
          subforms: subforms.map((list) => ({ ...list, total: 9 })),
        },
      });
      expect(rest(record)).toBe('-7.00');
      record.change(record.record(), fieldOf('f_lFee'), { value: '10.00' });
      expect(rest(record)).toBe('-7.00');
    });
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
    const child = record.addChild(record.record(), 'f_fLoan');
    record.change(child, AMOUNT, { value: '0.50' });
    record.addChild(record.record(), 'f_fLoan');
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
    record.removeChild(record.addChild(record.record(), 'f_fLoan'));
    expect(record.record().lists[0]!.rows.length).toBe(1);
    record.removeChild(record.record().lists[0]!.rows[0]!);
    expect(record.changesToSave().changes).toEqual([{ op: 'delete', table: 't_fine', key: [7] }]);
    record.removeChild(record.record().lists[0]!.rows[0]!);
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
      parts: mapParts(FORM.parts, (part) =>
        part.part === 'cell' && part.field === 'f_lFee' ? { ...part, people: 'read' } : part,
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
      const [fine] = record.record().lists[0]!.rows;
      record.change(fine!, AMOUNT, { value: '2.00' });
      record.change(record.addChild(record.record(), 'f_fLoan'), AMOUNT, { value: '9.00' });
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
      const picked = state({ record: { ...DATA.record, cells: others } });
      picked.restore(kept);
      expect(picked.changesToSave().changes).toEqual([
        { op: 'update', table: 't_loan', key: [1000], values: { f_lFee: '4.00' }, was: { f_lFee: '3.50' } },
      ]);
      expect(picked.record().held['f_lNote']).toEqual({ value: 'theirs' });
    });

    it('marks rows that were to be deleted, and passes over those that are gone', () => {
      const record = state();
      record.removeChild(record.record().lists[0]!.rows[0]!);
      expect(again(record).changesToSave().changes).toEqual([{ op: 'delete', table: 't_fine', key: [7] }]);
      const gone = state({ record: { ...DATA.record, subforms: [] } });
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

  describe('with rows within rows', () => {
    const DEEP = formFromTable(OFFICE, OFFICE.tables[0]!, 'o_deep', 'Borrowers', 2);
    const deep = (record: RecordData['record'] | null = ADA): RecordState =>
      new RecordState(designOf(OFFICE.tables, emptyDesign().settings), DEEP, record && { record }, CLOCK);
    const ADA: RecordData['record'] = {
      key: [1],
      cells: { f_bNo: 1, f_bName: 'Ada', f_bEmail: null, f_bActive: true },
      subforms: [{ link: 'f_lBorrower', rows: [DATA.record], total: 1 }],
    };
    const loan = (record: RecordState) => record.record().lists[0]!.rows[0]!;
    const fine = (record: RecordState) => loan(record).lists[0]!.rows[0]!;
    const ops = (record: RecordState): string[] =>
      record.changesToSave().changes.map(({ op, table }) => `${op} ${table}`);
    const NAME = OFFICE.tables[0]!.fields[1]!;

    it('sends new rows of every level in one save, each naming the one around it', () => {
      const record = deep(null);
      record.change(record.record(), NAME, { value: 'Bo' });
      const added = record.addChild(record.record(), 'f_lBorrower');
      // Nothing is typed into the loan itself: the fine within it calls for it.
      record.change(record.addChild(added, 'f_fLoan'), AMOUNT, { value: '0.50' });
      expect(ops(record)).toEqual(['insert t_borrower', 'insert t_loan', 'insert t_fine']);
      const { changes, rows } = record.changesToSave();
      const link = (i: number, field: string) =>
        (changes[i] as { values: Record<string, unknown> }).values[field];
      expect(link(1, 'f_lBorrower')).toEqual({ temp: rows[0]!.id });
      expect(link(2, 'f_fLoan')).toEqual({ temp: rows[1]!.id });
    });

    it('keeps what was typed at each level when another changes', () => {
      const record = deep();
      const stale = record.record();
      record.change(fine(record), AMOUNT, { value: '2.00' });
      record.change(loan(record), fieldOf('f_lFee'), { value: '9.00' });
      record.change(stale, NAME, { value: 'Ada Quist' });
      expect(ops(record)).toEqual(['update t_borrower', 'update t_loan', 'update t_fine']);
      expect(fine(record).held['f_fAmount']).toEqual({ value: '2.00' });
    });

    it('sends nothing for what is within a row that goes', () => {
      const record = deep();
      record.change(fine(record), AMOUNT, { value: 'x', problem: 'No number.' });
      record.removeChild(loan(record));
      expect(ops(record)).toEqual(['delete t_loan']);
      expect(record.check()).toBeTrue();
      record.removeChild(loan(record));
      expect(record.check()).toBeFalse();
    });

    it('keeps what is unsaved of every level, and puts it back', () => {
      const record = deep();
      record.change(fine(record), AMOUNT, { value: '2.00' });
      record.change(record.addChild(loan(record), 'f_fLoan'), AMOUNT, { value: '3.00' });
      const added = record.addChild(record.record(), 'f_lBorrower');
      record.change(record.addChild(added, 'f_fLoan'), AMOUNT, { value: '4.00' });
      const picked = deep();
      picked.restore(JSON.parse(JSON.stringify(record.kept())) as KeptRecord);
      expect(ops(picked)).toEqual(['update t_fine', 'insert t_fine', 'insert t_loan', 'insert t_fine']);
      expect(ops(picked)).toEqual(ops(record));
      // What was kept before rows stood within rows has no word of them.
      picked.restore({ record: { key: [1], deleted: false, was: {}, held: {} }, children: [] });
      expect(ops(picked)).toEqual(ops(record));
    });

    it('takes further rows once each, before those that are new, and knows the way to a list', () => {
      const record = deep({ ...ADA, subforms: [{ ...ADA.subforms[0]!, total: 3 }] });
      record.addChild(record.record(), 'f_lBorrower');
      const rows = [1000, 1001, 1002].map((n) => ({ ...DATA.record, key: [n] }));
      record.more(record.record(), { link: 'f_lBorrower', rows, total: 3 });
      const [list] = record.record().lists;
      expect([list!.rows.map(({ key }) => key), list!.unread]).toEqual([[[1000], [1001], [1002], null], 0]);
      const { id, lists } = loan(record);
      expect(record.pathTo(id, lists[0]!.level)).toEqual(['f_lBorrower', 'f_fLoan']);
      expect(record.pathTo(record.record().id, list!.level)).toEqual(['f_lBorrower']);
    });

    it('settles two clashes in one row', () => {
      const record = deep();
      record.change(loan(record), fieldOf('f_lFee'), { value: '9.00' });
      record.change(loan(record), fieldOf('f_lNote'), { value: 'mine' });
      const { rows } = record.changesToSave();
      const error = { change: 0, table: 't_loan', key: [1000], rule: null, message: 'Changed.' };
      record.refuse(
        [
          { ...error, field: 'f_lFee', theirs: '1.00' },
          { ...error, field: 'f_lNote', theirs: 'theirs' },
        ],
        rows,
      );
      expect(record.changesToSave().changes).toEqual([
        jasmine.objectContaining({ was: { f_lFee: '1.00', f_lNote: 'theirs' } }),
      ]);
    });
  });
});

describe('what a cell holds', () => {
  it('is the beginning of a text that is longer than a field takes, with why it is no more', () => {
    const held = heldOf({ beginning: 'Once upon', length: 4_194_304 });
    expect(held).toEqual({ value: 'Once upon…', cut: 4_194_304 });
    expect(why(held)).toBe(
      'Only its beginning is shown: this text has 4,194,304 characters, and a field takes 1,048,576 at most. It stays as it is.',
    );
    expect(why(heldOf('short'))).toBeNull();
  });
});
