import { copyFileSync, mkdirSync, readdirSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { FORMAT, type Form, type Query } from '@heathridge/core/design';
import { buttonsOf, cellsOf, formProblems, subformsOf } from '@heathridge/core/form';
import { Office } from '../testing/office';

const FILES = join(dirname(fileURLToPath(import.meta.url)), '..', '..', 'test-files');

/** Files that earlier versions made are kept, and open for ever. */
describe('files of earlier formats', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open({ demo: false })));
  afterAll(() => office.close());

  const names = readdirSync(FILES).filter((name) => name.endsWith('.db'));

  it('are kept, one of each', () => {
    const kept = Array.from({ length: FORMAT - 1 }, (_, i) => `format-${i + 1}.db`);
    expect(names).toEqual(jasmine.arrayWithExactContents(kept));
  });

  function take(name: string, id: string): void {
    const { files, accounts } = office.app.context;
    const folder = join(office.data, 'files');
    mkdirSync(folder, { recursive: true });
    copyFileSync(join(FILES, name), join(folder, `${id}.db`));
    files.register(id, `${name} as ${id}`, accounts.person(office.token)!.id);
  }

  for (const [i, name] of names.entries()) {
    it(`${name} opens, with its rows, rules, documents and history`, async () => {
      const id = `f_old${i}`;
      take(name, id);
      const at = (url: string): string => `/api/files/${id}/${url}`;
      const { status, body } = await office.call('GET', at('design'));
      expect(status).withContext(JSON.stringify(body)).toBe(200);
      expect(body.design.settings.format).toBe(FORMAT);
      expect(body.counts).toEqual({ t_borrower: 1, t_loan: 1, t_fine: 1, t_part: 1 });
      // What a screen let people type, they may still do; what it let them read, they may still only read.
      const rights = Object.fromEntries(
        (body.design.forms as { id: string; rights: object }[]).map((form) => [form.id, form.rights]),
      );
      expect(rights).toEqual(
        jasmine.objectContaining({
          o_borrowers: { add: true, change: true, delete: true },
          o_loans: { add: false, change: false, delete: false },
        }),
      );
      for (const form of body.design.forms as Form[])
        expect(formProblems(body.design, form)).withContext(form.id).toEqual([]);
      const sound = await office.call('POST', at('sound'), {});
      expect(sound.body).toEqual({ findings: [], missing: [], damage: [] });
      const save = (values: object) =>
        office.call('POST', at('rows'), { changes: [{ op: 'insert', table: 't_fine', values }] });
      expect((await save({ f_fLoan: 1000, f_fAmount: '99.00' })).body.errors[0].rule).toBe('r_amount');
      expect((await save({ f_fLoan: 1000, f_fAmount: '2.00' })).status).toBe(200);
      const query = body.design.queries[0] as object;
      const result = await office.call('POST', at('query/run'), { query });
      expect(result.body.rows).toEqual([['Ada Quill', '3.20']]);
      const changes = await office.call('GET', at('changes'));
      expect(changes.body.changes.length).toBe(2);
      const copies = readdirSync(join(office.data, 'copies', id));
      expect(copies).toContain(`before-format-${FORMAT}.db`);
      // A second opening finds nothing to do.
      office.app.context.files.close();
      expect((await office.call('GET', at('design'))).status).toBe(200);
    });
  }

  it('keep what stands on their forms: cells, their order and rights; what was put aside is on no form', async () => {
    take('format-6.db', 'f_forms');
    const { body } = await office.call('GET', '/api/files/f_forms/design');
    const form = (id: string): Form => body.design.forms.find((other: Form) => other.id === id);
    const cells = cellsOf(form('o_deep').parts);
    expect(cells.map(({ field, width, people }) => `${field} ${width} ${people}`)).toEqual([
      'f_lNo 3 read',
      'f_lBorrower 6 type',
      'f_lFrom 3 type',
      'f_lDue 3 type',
      'f_lFee 4 read',
      'f_lState 3 type',
    ]);
    const [fines, ...others] = subformsOf(form('o_deep').parts);
    expect([fines!.link, fines!.look, fines!.rights.relink, others.length]).toEqual([
      'f_fLoan',
      'grid',
      false,
      0,
    ]);
    expect(cellsOf(fines!.parts).map(({ field }) => field)).toEqual(['f_fNo', 'f_fAmount']);
    // Its subform was not shown.
    expect(subformsOf(form('o_hidden').parts)).toEqual([]);
  });

  it('keep buttons, pictures, conditions and the order of the Tab key', async () => {
    take('format-9.db', 'f_pressed');
    const { body } = await office.call('GET', '/api/files/f_pressed/design');
    const form = (body.design.forms as Form[]).find(({ id }) => id === 'o_pressed')!;
    expect(form.tabOrder).toEqual(['f_bEmail', 'f_bName']);
    expect(buttonsOf(form.parts).map(({ label, does }) => [label, does])).toEqual([
      ['On paper', { act: 'print', report: null }],
    ]);
    expect(cellsOf(form.parts).find(({ field }) => field === 'f_bEmail')).toEqual(
      jasmine.objectContaining({ readIf: '"#f_bActive" = TRUE', hideIf: '"#f_bName" IS NULL' }),
    );
    expect(form.parts[0]).toEqual(jasmine.objectContaining({ part: 'picture', about: 'Mark' }));
  });

  it('keep what queries ask: their joins as a tree, and their conditions', async () => {
    take('format-10.db', 'f_asked');
    const { body } = await office.call('GET', '/api/files/f_asked/design');
    const query = (body.design.queries as Query[]).find(({ id }) => id === 'q_asked')!;
    expect(query.joins).toEqual([
      { id: 'j_1', at: null, by: { by: 'link', link: 'f_fLoan' }, keepWithout: false },
      { id: 'j_2', at: 'j_1', by: { by: 'link', link: 'f_lBorrower' }, keepWithout: true },
    ]);
    expect(query.where.map((condition) => condition.is === 'so' && condition.expression)).toEqual([
      '"#f_fAmount" > 1',
      '"#f_fLoan"."#f_lBorrower"."#f_bName" IS NOT NULL',
    ]);
    const { body: found } = await office.call('POST', '/api/files/f_asked/query/run', { query });
    expect(found.rows).toEqual([['Ada Quill', 1, '1.20']]);
    expect((found.funnel as { part: string }[]).map(({ part }) => part)).toEqual([
      'from',
      'with',
      'with',
      'where',
      'where',
      'group',
      'first',
    ]);
  });

  it('keep how queries are drawn and what is written in SQL', async () => {
    take('format-12.db', 'f_drawn');
    const { body } = await office.call('GET', '/api/files/f_drawn/design');
    const at = (id: string): Query => (body.design.queries as Query[]).find((query) => query.id === id)!;
    expect(at('q_drawn').chart).toEqual(jasmine.objectContaining({ as: 'bars', along: 'g_state' }));
    expect(at('q_drawn').pivot).toEqual({ across: [], heat: true });
    expect(at('q_drawn').questions.map(({ answer }) => answer)).toEqual([{ kind: 'decimal', places: 2 }]);
    const drawn = await office.call('POST', '/api/files/f_drawn/query/run', { query: at('q_drawn') });
    expect((drawn.body.columns as object[]).length).toBe(2);
    const written = await office.call('POST', '/api/files/f_drawn/query/run', { query: at('q_sql') });
    expect(written.body.rows).toEqual([[1]]);
    expect((body.design.boards as { parts: object[] }[])[0]!.parts).toEqual([
      jasmine.objectContaining({ part: 'chart', query: 'q_drawn' }),
    ]);
  });

  it('keep what a question is answered with, how numbers are shown, and which lists are watched', async () => {
    take('format-13.db', 'f_whose');
    const { body } = await office.call('GET', '/api/files/f_whose/design');
    const query = (body.design.queries as Query[]).find(({ id }) => id === 'q_whose')!;
    const run = (answers: object) => office.call('POST', '/api/files/f_whose/query/run', { query, answers });
    expect((await run({ a_who: 1 })).body.rows).toEqual([[1000, '12.5']]);
    expect((await run({ a_who: 2 })).body.rows).toEqual([]);
    const { watches } = (await office.call('GET', '/api/files/f_whose/desk/watches')).body;
    expect(watches).toContain({ screen: 'o_watched', count: 1 });
  });

  it('keep which rows a list shows', async () => {
    take('format-14.db', 'f_told');
    const { body } = await office.call('GET', '/api/files/f_told/desk/screens/o_told/list?search=');
    expect([body.total, body.entries[0].key]).toEqual([1, [1000]]);
  });

  it('hold texts to what they must be as new ones do', async () => {
    take('format-14.db', 'f_texts');
    const { default: Database } = await import('libsql');
    expect((await office.call('GET', '/api/files/f_texts/design')).status).toBe(200);
    const db = new Database(join(office.data, 'files', 'f_texts.db'));
    const put = (hex: string) => db.prepare(`UPDATE borrower SET name = CAST(x'${hex}' AS TEXT)`).run();
    expect(() => put('636166e9')).toThrowError(/text:f_bName Name holds characters that are none/);
    expect(() => put(Buffer.from('Rene\u0301').toString('hex'))).toThrowError(
      /letters with their accents apart/,
    );
    db.close();
  });

  it('open also with an expression that is not taken any more, and say so in the next draft', async () => {
    const id = 'f_odd';
    take(names[0]!, id);
    const { default: Database } = await import('libsql');
    const db = new Database(join(office.data, 'files', `${id}.db`));
    const rule = { id: 'r_odd', expression: `"#f_bName" LIKE 'a!' ESCAPE '!'`, message: 'Odd.' };
    const set = "UPDATE hr_definition SET document = json_set(document, '$.rules', json(?)) WHERE id = ?";
    db.prepare(set).run(JSON.stringify([rule]), 't_borrower');
    db.close();
    const { status, body } = await office.call('GET', `/api/files/${id}/design`);
    expect(status).toBe(200);
    expect((await office.call('POST', `/api/files/${id}/sound`, {})).status).toBe(200);
    const check = await office.call('POST', `/api/files/${id}/draft/check`, {
      base: body.design.version,
      changes: [],
    });
    expect(JSON.stringify(check.body.notices)).toContain('stands before a character');
  });

  it('of a later version are left alone, and say so', async () => {
    take(names[0]!, 'f_later');
    const { default: Database } = await import('libsql');
    const db = new Database(join(office.data, 'files', 'f_later.db'));
    db.exec("UPDATE hr_definition SET document = json_set(document, '$.format', 99) WHERE type = 'settings'");
    db.close();
    const { status, body } = await office.call('GET', '/api/files/f_later/design');
    expect([status, body.type]).toEqual([409, '/problems/later-format']);
    expect(body.detail).toContain('later version');
  });
});
