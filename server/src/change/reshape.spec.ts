import { readdirSync } from 'node:fs';
import type { Change } from '@heathridge/core/change';
import type { Field, FieldType } from '@heathridge/core/design';
import { field, lookup, number, OFFICE, table } from '../../../core/src/design/testing/office';
import { Office, type Answer } from '../testing/office';
import '../testing/timeouts';

const patch = (id: string, set: Partial<Field>, convert?: object): Change => {
  const owner = OFFICE.tables.find(({ fields }) => fields.some((item) => item.id === id))!;
  return { change: 'changeField', table: owner.id, field: id, set, ...(convert ? { convert } : {}) };
};

describe('changing one’s mind about rows that are there', () => {
  let office: Office;

  beforeEach(async () => {
    office = await Office.open({ demo: false });
    await office.apply(...OFFICE.tables.map((item): Change => ({ change: 'addTable', table: item })));
    await office.save(
      { op: 'insert', table: 't_borrower', values: { f_bName: 'Quill, Ada', f_bEmail: 'ada@x.example' } },
      { op: 'insert', table: 't_borrower', values: { f_bName: 'Rook, Ben' } },
      { op: 'insert', table: 't_borrower', values: { f_bName: 'Solo' } },
    );
    await office.save(
      {
        op: 'insert',
        table: 't_loan',
        values: { f_lBorrower: 1, f_lFee: '3.50', f_lNote: '4/11/2026', f_lState: 'Out' },
      },
      {
        op: 'insert',
        table: 't_loan',
        values: { f_lBorrower: 2, f_lFee: '10.25', f_lNote: '2026-12-24', f_lState: 'Back' },
      },
      { op: 'insert', table: 't_loan', values: { f_lBorrower: 2, f_lNote: 'soon' } },
    );
  });
  afterEach(() => office.close());

  const read = (sql: string): unknown[][] =>
    office.app.context.files.get(office.file).reader.prepare(sql).raw().all() as unknown[][];
  const column = (name: string, from = 'loan'): unknown[] =>
    read(`SELECT ${name} FROM ${from} ORDER BY 1`).map(([value]) => value);
  const undo = (): Promise<Answer> => office.call('POST', `changes/${office.design.version}/undo`, {});
  const done = async (answer: Promise<Answer>): Promise<void> => {
    const { status, body } = await answer;
    expect(status).withContext(JSON.stringify(body)).toBe(200);
  };

  it('reads texts as dates in the order asked for, and lists each that is none', async () => {
    const change = patch('f_lNote', { type: { kind: 'date' } }, { dateOrder: 'dmy' });
    const { body: preview } = await office.call('POST', 'draft/preview', {
      base: office.design.version,
      changes: [change],
      table: 't_loan',
      field: 'f_lNote',
    });
    expect(preview).toEqual(jasmine.objectContaining({ values: 3, rows: 3, failing: 1, ambiguous: 1 }));
    expect(preview.list[0]).toEqual(jasmine.objectContaining({ was: 'soon', rows: 1 }));
    expect(preview.list[0].message).toContain('is not a date');
    const { body } = await office.check(change);
    expect(body.clear).toBeFalse();
    expect(body.findings[0]).toEqual(
      jasmine.objectContaining({ sort: 'convert', count: 1, sample: [{ key: [1002], value: 'soon' }] }),
    );
    expect(body.unread[0].values[0].was).toBe('soon');
    await done(
      office.apply(
        patch('f_lNote', { type: { kind: 'date' } }, { dateOrder: 'mdy', instead: { soon: '1/2/2027' } }),
      ),
    );
    expect(column('note')).toEqual(['2026-04-11', '2026-12-24', '2027-01-02']);
    await done(undo());
    expect(column('note')).toEqual(['2026-12-24', '4/11/2026', 'soon']);
  });

  it('leaves empty what cannot be read, when that is asked for, and brings it back when undone', async () => {
    await done(office.apply(patch('f_lNote', { type: { kind: 'wholeNumber' } }, { otherwise: 'empty' })));
    expect(column('note')).toEqual([null, null, null]);
    await done(undo());
    expect(column('note')).toEqual(['2026-12-24', '4/11/2026', 'soon']);
  });

  it('rounds money half away from zero when it loses places', async () => {
    const { body } = await office.call('POST', 'draft/preview', {
      base: office.design.version,
      changes: [patch('f_lFee', { type: { kind: 'money', places: 1 } })],
      table: 't_loan',
      field: 'f_lFee',
    });
    expect(
      body.list.map(({ was, becomes }: { was: string; becomes: string }) => `${was} ${becomes}`).sort(),
    ).toEqual(['£10.25 £10.3', '£3.50 £3.5']);
    await done(office.apply(patch('f_lFee', { type: { kind: 'money', places: 1 } })));
    expect(column('fee')).toEqual([null, 35, 103]);
    await done(undo());
    expect(column('fee')).toEqual([null, 350, 1025]);
  });

  it('makes a lookup of texts by what the other table shows', async () => {
    const names = field('lWho', 'who', { kind: 'text' });
    await done(office.apply({ change: 'addField', table: 't_loan', field: names }));
    office.app.context.files
      .get(office.file)
      .writer.exec("UPDATE loan SET who = CASE borrower WHEN 1 THEN 'quill, ada ' ELSE 'Nobody' END");
    const change: Change = {
      change: 'changeField',
      table: 't_loan',
      field: 'f_lWho',
      set: { type: lookup('borrower') },
      convert: { instead: {} },
    };
    const { body } = await office.check(change);
    expect(body.findings[0]).toEqual(jasmine.objectContaining({ sort: 'convert', count: 2 }));
    expect(body.unread[0].values[0].message).toBe('There is no borrower “Nobody”.');
    await done(office.apply({ ...change, convert: { instead: { Nobody: 'Rook, Ben' } } }));
    expect(column('who')).toEqual([1, 2, 2]);
    expect(read('PRAGMA foreign_key_check')).toEqual([]);
  });

  it('gives choices new names, in the rows too', async () => {
    const type: FieldType = { kind: 'choice', choices: ['On hire', 'Back'] };
    expect((await office.check(patch('f_lState', { type }))).body.findings[0].sort).toBe('choice');
    await done(office.apply(patch('f_lState', { type }, { instead: { Out: 'On hire' } })));
    expect(column('state')).toEqual(['Back', 'On hire', 'On hire']);
  });

  it('splits a field at a separator and merges two', async () => {
    const text: FieldType = { kind: 'text', most: null };
    const mends = ['t_borrower', 't_loan'].map((dependant) => ({ dependant, put: null }));
    const into = [field('bLast', 'surname', text), field('bFirst', 'first', text)] as [Field, Field];
    const split: Change = {
      change: 'splitField',
      table: 't_borrower',
      field: 'f_bName',
      separator: ', ',
      into,
      mends,
    };
    await done(office.apply(split));
    expect(read('SELECT surname, "first" FROM borrower ORDER BY number')).toEqual([
      ['Quill', 'Ada'],
      ['Rook', 'Ben'],
      ['Solo', null],
    ]);
    const whole = field('bWhole', 'whole', { kind: 'longText' });
    await done(
      office.apply({
        change: 'mergeFields',
        table: 't_borrower',
        fields: ['f_bFirst', 'f_bLast'],
        separator: ' ',
        into: whole,
      }),
    );
    expect(column('whole', 'borrower')).toEqual(['Ada Quill', 'Ben Rook', 'Solo']);
    await done(undo());
    await done(office.call('POST', `changes/${office.design.version - 2}/undo`, {}));
    expect(column('name', 'borrower')).toEqual(['Quill, Ada', 'Rook, Ben', 'Solo']);
    expect(office.design.tables[0]!.display).toBe('"#f_bName"');
  });

  it('lets lookups follow when a table gets another key', async () => {
    office.app.context.files.get(office.file).writer.exec("UPDATE borrower SET email = 'b' || number");
    await done(
      office.apply(
        patch('f_bEmail', { alwaysFilled: true }),
        patch('f_bNo', { type: { kind: 'wholeNumber' } }),
        { change: 'changeTable', table: 't_borrower', set: { key: ['f_bEmail'] } },
      ),
    );
    expect(column('borrower')).toEqual(['b1', 'b2', 'b2']);
    expect(read('PRAGMA foreign_key_check')).toEqual([]);
    await done(undo());
    expect(column('borrower')).toEqual([1, 2, 2]);
  });

  it('stops a key that is not told apart, and one that is empty', async () => {
    const { body } = await office.check(
      { change: 'changeTable', table: 't_loan', set: { key: ['f_lState'] } },
      patch('f_lNo', { type: { kind: 'wholeNumber' } }),
    );
    // Fines look loans up by a number, which the state is not: their rule and the rows say so.
    expect(body.clear).toBeFalse();
    expect(body.findings.map(({ sort }: { sort: string }) => sort)).toContain('alike');
  });

  /** Adds a field of numbers that each loan fills with this SQL; gives the change that makes a lookup of it. */
  async function linking(sql: string): Promise<Change> {
    const added = field('lBy', 'lent_by', { kind: 'wholeNumber' });
    await done(office.apply({ change: 'addField', table: 't_loan', field: added }));
    office.app.context.files.get(office.file).writer.exec(`UPDATE loan SET lent_by = ${sql}`);
    return { change: 'changeField', table: 't_loan', field: 'f_lBy', set: { type: lookup('borrower') } };
  }

  it('links values that stood there before, and lists those without a partner', async () => {
    const change = await linking('number - 998');
    const { body } = await office.check(change);
    expect(body.findings[0]).toEqual(
      jasmine.objectContaining({ sort: 'convert', count: 1, sample: [{ key: [1002], value: 4 }] }),
    );
    const { body: found } = await office.call('POST', 'draft/found', {
      base: office.design.version,
      changes: [change],
      number: body.findings[0].number,
      offset: 0,
    });
    expect(found.rows[0]).toEqual(jasmine.objectContaining({ key: [1002], title: 'Rook, Ben' }));
    await office.save({
      op: 'update',
      table: 't_loan',
      key: [1002],
      values: { f_lBy: 1 },
      was: { f_lBy: 4 },
    });
    await done(office.apply(change));
  });

  it('gives as many of the rows that are found as are asked for', async () => {
    const change = await linking('99');
    const { body } = await office.check(change);
    const { number, count } = body.findings[0];
    const rows = (offset: number, limit?: number) =>
      office.call('POST', 'draft/found', {
        base: office.design.version,
        changes: [change],
        number,
        offset,
        limit,
      });
    const keys = async (offset: number, limit?: number): Promise<unknown[]> =>
      (await rows(offset, limit)).body.rows.map(({ key }: { key: unknown }) => key);
    const all = await keys(0);
    expect(all.length).toBe(count);
    expect(count).toBeGreaterThan(1);
    expect(await keys(0, 1)).toEqual(all.slice(0, 1));
    expect(await keys(1, 500)).toEqual(all.slice(1));
    for (const limit of [0, 501, 1.5])
      expect((await rows(0, limit)).status)
        .withContext(`${limit}`)
        .toBe(400);
  });

  it('drops a field when each place that uses it is told what to do', async () => {
    const drop: Change = { change: 'dropField', table: 't_loan', field: 'f_lFrom' };
    const { body } = await office.check(drop);
    expect(
      body.notices[0].dependants.map(({ id, use, fate }: Record<string, string>) => [id, use, fate]),
    ).toEqual([['f_lDue', 'its rule', 'the rule is taken off']]);
    expect((await office.apply(drop)).status).toBe(422);
    await done(office.apply({ ...drop, mends: [{ dependant: 'f_lDue', put: null }] }));
    expect(office.design.tables[1]!.fields.find(({ id }) => id === 'f_lDue')!.rule).toBeNull();
    await done(undo());
    expect(office.design.tables[1]!.fields.find(({ id }) => id === 'f_lDue')!.rule!.id).toBe('r_due');
    expect(column('lent_on')).toEqual(['2026-11-25', '2026-11-25', '2026-11-25']);
  });

  it('puts another field in the place of one that is dropped', async () => {
    const other = field('lSince', 'since', { kind: 'date' });
    await done(office.apply({ change: 'addField', table: 't_loan', field: other }));
    await done(
      office.apply({
        change: 'dropField',
        table: 't_loan',
        field: 'f_lFrom',
        mends: [{ dependant: 'f_lDue', put: 'f_lSince' }],
      }),
    );
    expect(office.design.tables[1]!.fields.find(({ id }) => id === 'f_lDue')!.rule!.expression).toBe(
      '"#f_lDue" > "#f_lSince"',
    );
  });

  it('keeps what people wrote after the draft when it is undone', async () => {
    await done(
      office.apply(
        { change: 'dropField', table: 't_loan', field: 'f_lNote' },
        patch('f_lFee', { type: { kind: 'wholeNumber' } }),
      ),
    );
    await office.save({
      op: 'update',
      table: 't_loan',
      key: [1000],
      values: { f_lState: 'Back', f_lFee: 9 },
      was: {},
    });
    await office.save({ op: 'insert', table: 't_loan', values: { f_lBorrower: 1, f_lFee: 7 } });
    await office.save({ op: 'delete', table: 't_loan', key: [1001] });
    await done(undo());
    expect(read('SELECT number, state, fee, note FROM loan ORDER BY 1')).toEqual([
      // Nobody has written the note since: it comes back.
      [1000, 'Back', 900, '4/11/2026'],
      [1002, 'Out', null, 'soon'],
      [1003, 'Out', 700, null],
    ]);
    const { body } = await office.call('GET', 'changes');
    expect(body.changes.map(({ what, undoneBy }: Record<string, string | null>) => [what, undoneBy])).toEqual(
      [
        ['draft undone', null],
        ['draft applied', 'Mara Ashdown'],
        ['draft applied', null],
      ],
    );
    expect(body.changes[2].canUndo).toBeTrue();
  });

  it('will not undo twice, out of turn, or without its safe copy', async () => {
    await done(office.apply(patch('f_lFee', { label: 'Price' })));
    const { version } = office.design;
    expect((await office.call('POST', `changes/${version - 1}/undo`, {})).status).toBe(409);
    await done(undo());
    expect((await office.call('POST', `changes/${version}/undo`, {})).status).toBe(409);
  });

  for (const [when, wait] of [
    ['Copy the rows of Loan', 0],
    ['Writing it to the disk', 0],
    ['Writing it to the disk', 3],
    ['Writing it to the disk', 10],
  ] as const)
    it(`tells how far it is, and the truth of it when it is stopped: ${when}, ${wait} ms later`, async () => {
      const seen: string[] = [];
      const { files, jobs, clock } = office.app.context;
      const { applyDraft } = await import('../plan/apply-draft');
      const stop = new AbortController();
      const tell = ({ what }: { what: string }): void => {
        seen.push(what);
        if (what === when) setTimeout(() => stop.abort(), wait);
      };
      const before = office.design.version;
      const copies = (): number => readdirSync(office.app.context.files.get(office.file).copies).length;
      const kept = copies();
      const changes = [patch('f_lFee', { alwaysFilled: false, noTwoAlike: true })];
      const refused = await applyDraft(files, jobs, office.file, before, changes, 'X', clock, {
        tell,
        signal: stop.signal,
      }).then(
        () => 'done',
        (error: { type: string }) => error.type,
      );
      expect(seen[0]).toBe('Taking a safe copy');
      expect(seen).toContain('Copy the rows of Loan');
      const isThere = (): unknown =>
        read("SELECT count(*) FROM sqlite_schema WHERE sql LIKE '%alike f_lFee%'");
      // It may have been done already when the stop came: then it was done whole, and that is said.
      if (refused === 'stopped') {
        expect(office.design.version).toBe(before);
        expect(isThere()).toEqual([[0]]);
        expect(copies()).toBe(kept);
        await done(office.apply(patch('f_lFee', { label: `Price ${when} ${wait}` })));
      } else {
        expect(refused).toBe('done');
        expect(office.design.version).toBe(before + 1);
        expect(isThere()).toEqual([[1]]);
        expect(copies()).toBe(kept + 1);
        await done(office.apply(patch('f_lFee', { alwaysFilled: false, noTwoAlike: false })));
      }
    });

  it('lets nobody write while the design is being changed', async () => {
    const applying = office.apply(patch('f_lFee', { alwaysFilled: false, noTwoAlike: true }));
    await new Promise((resolve) => setTimeout(resolve, 5));
    const saved = await office.save({ op: 'insert', table: 't_borrower', values: { f_bName: 'Late' } });
    expect((await applying).status).toBe(200);
    expect(saved.status).toBe(423);
    expect(saved.body.detail).toContain('What you typed is kept');
  });

  it('holds that no two rows are alike in several fields, once those that are have been mended', async () => {
    await office.save({ op: 'insert', table: 't_loan', values: { f_lBorrower: 2, f_lFee: '10.25' } });
    const change: Change = {
      change: 'changeTable',
      table: 't_loan',
      set: { noTwoAlike: [['f_lBorrower', 'f_lFee']] },
    };
    const { body } = await office.check(change);
    expect(body.findings.map(({ count, fields }: Record<string, unknown>) => [count, fields])).toEqual([
      [2, ['f_lBorrower', 'f_lFee']],
    ]);
    expect((await office.apply(change)).status).toBe(422);
    await done(
      office.save({ op: 'update', table: 't_loan', key: [1003], values: { f_lFee: '10.24' }, was: {} }),
    );
    await done(office.apply(change));
    const again = await office.save({
      op: 'insert',
      table: 't_loan',
      values: { f_lBorrower: 2, f_lFee: '10.25' },
    });
    expect(again.status).toBe(422);
    expect(JSON.stringify(again.body)).toContain('Another loan has this Borrower and Fee already.');
    // Empty is like nothing: a loan without a fee may come again.
    await done(office.save({ op: 'insert', table: 't_loan', values: { f_lBorrower: 2 } }));
    await done(undo());
    await done(office.save({ op: 'insert', table: 't_loan', values: { f_lBorrower: 2, f_lFee: '10.25' } }));
  });

  it('makes many to many with a key of two, and links to it by both', async () => {
    const both = table(
      'tag',
      [
        field('tB', 'borrower', { ...lookup('borrower'), onDelete: 'deleteAlong' } as FieldType, {
          alwaysFilled: true,
        }),
        field('tL', 'loan', { ...lookup('loan'), onDelete: 'deleteAlong' } as FieldType, {
          alwaysFilled: true,
        }),
      ],
      { key: ['f_tB', 'f_tL'] },
    );
    const remark = table(
      'remark',
      [
        field('rNo', 'number', number),
        field('rB', 'who', { kind: 'wholeNumber' }),
        field('rL', 'what', { kind: 'wholeNumber' }),
      ],
      {
        links: [
          {
            id: 'l_tag',
            name: 'tag',
            label: 'Tag',
            table: 't_tag',
            on: [
              { own: 'f_rB', other: 'f_tB' },
              { own: 'f_rL', other: 'f_tL' },
            ],
            onDelete: 'deleteAlong',
          },
        ],
      },
    );
    await done(office.apply({ change: 'addTable', table: both }, { change: 'addTable', table: remark }));
    await done(office.save({ op: 'insert', table: 't_tag', values: { f_tB: 1, f_tL: 1000 } }));
    const lost = await office.save({ op: 'insert', table: 't_remark', values: { f_rB: 2, f_rL: 1000 } });
    expect(lost.body.errors[0]).toEqual(
      jasmine.objectContaining({ field: 'f_rB', message: 'There is no tag with these values (Tag).' }),
    );
    await done(office.save({ op: 'insert', table: 't_remark', values: { f_rB: 1, f_rL: 1000 } }));
    await done(office.save({ op: 'delete', table: 't_tag', key: [1, 1000] }));
    expect(read('SELECT count(*) FROM remark')).toEqual([[0]]);
  });
});
