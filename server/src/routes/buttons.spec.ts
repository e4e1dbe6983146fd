import type { ButtonAct, Form, FormButton, RoleDefinition } from '@heathridge/core/design';
import { mapParts } from '@heathridge/core/form';
import type { PageModel } from '@heathridge/core/report';
import type { Results, Task } from '../jobs/tasks';
import { MOST_PREPARED } from '../rows/prepared-change';
import { Office, type Answer } from '../testing/office';

describe('a button on a screen', () => {
  let office: Office;
  beforeAll(async () => {
    office = await Office.open();
  });
  afterAll(() => office.close());

  type Who = 'builder' | 'colleague';
  const file = () => office.app.context.files.get(office.file);
  const ask = (sql: string, ...values: unknown[]) => office.ask(sql, ...values);
  const at = (
    button: string,
    what: 'preview' | 'run',
    body: object,
    screen: string,
    who: Who,
  ): Promise<Answer> => office.call('POST', `desk/screens/${screen}/buttons/${button}/${what}`, body, who);
  const preview = (button: string, key: number, screen = 'o_hireDesk', who: Who = 'colleague') =>
    at(button, 'preview', { key: [key] }, screen, who);
  const run = (button: string, key: number, mark: string, screen = 'o_hireDesk', who: Who = 'colleague') =>
    at(button, 'run', { key: [key], mark }, screen, who);
  const print = (button: string, key: number, screen = 'o_hireDesk'): Promise<Answer> =>
    office.call('GET', `desk/screens/${screen}/buttons/${button}/print?key=[${key}]`, undefined, 'colleague');
  const form = (id = 'o_hireDesk'): Form => office.design.forms.find((other) => other.id === id)!;
  const button = (does: ButtonAct): FormButton => ({
    part: 'button',
    id: 'b_new',
    label: 'New',
    width: 3,
    does,
  });

  /** Puts a button on a screen while something is tried with it. */
  async function withButton(
    does: ButtonAct,
    work: () => Promise<void>,
    screen = 'o_hireDesk',
  ): Promise<void> {
    const before = form(screen);
    const put = await office.put({ ...before, parts: [...before.parts, button(does)] } as Form);
    expect(put.status).withContext(JSON.stringify(put.body)).toBe(200);
    try {
      await work();
    } finally {
      await office.put(before);
    }
  }

  /** Today where the office is, as the engine has it: its clock goes on. */
  const today = (): string =>
    new Intl.DateTimeFormat('sv', { timeZone: office.design.settings.timeZone }).format(new Date());
  /** The last hire that is out with an instrument which no other has out. */
  const out = (): number =>
    ask(
      'SELECT max(hire_number) FROM (SELECT hire_number FROM hire WHERE returned_on IS NULL GROUP BY instrument HAVING count(*) = 1)',
    )[0]![0] as number;
  const returned = (key: number) => ask('SELECT returned_on FROM hire WHERE hire_number = ?', key)[0]![0];

  it('shows what it would change, changes that and nothing else, and is taken back', async () => {
    const key = out();
    const [[others]] = ask('SELECT count(*) FROM hire WHERE returned_on IS NULL') as [[number]];
    const seen = await preview('b_back', key);
    expect(seen.status).toBe(200);
    expect(seen.body).toEqual({
      table: 't_hire',
      fields: ['f_hireReturnedOn'],
      total: 1,
      rows: [{ key: [key], title: jasmine.any(String), cells: [{ was: null, now: today() }] }],
      mark: jasmine.any(String),
    });
    expect(returned(key)).toBeNull();
    const done = await run('b_back', key, seen.body.mark);
    expect(done.status).withContext(JSON.stringify(done.body)).toBe(200);
    expect(returned(key)).toBe(today());
    expect(ask('SELECT count(*) FROM hire WHERE returned_on IS NULL')).toEqual([[others - 1]]);
    // It stands in the history under the name of who pressed it.
    const past = await office.call('GET', `tables/t_hire/past?key=[${key}]`);
    expect(JSON.stringify(past.body.past[0])).toContain('Tobin');
    // It is done: there is nothing to change any more.
    expect((await preview('b_back', key)).body.total).toBe(0);
    const undone = await office.call(
      'POST',
      'desk/screens/o_hireDesk/undo',
      { entry: done.body.entry },
      'colleague',
    );
    expect(undone.status).withContext(JSON.stringify(undone.body)).toBe(200);
    expect(returned(key)).toBeNull();
  });

  it('changes nothing where other rows would change than were looked at', async () => {
    const key = out();
    const { mark } = (await preview('b_back', key)).body;
    const before = ask('SELECT count(*) FROM hr_log');
    for (const wrong of ['', 'x', (await preview('b_back', key - 1)).body.mark ?? '']) {
      const { status, body } = await run('b_back', key, wrong);
      expect([status, body.type]).toEqual([409, '/problems/document-moved']);
    }
    await office.call('POST', 'rows', {
      changes: [
        {
          op: 'update',
          table: 't_hire',
          key: [key],
          values: { f_hireReturnedOn: '2026-11-24' },
          was: { f_hireReturnedOn: null },
        },
      ],
    });
    expect((await run('b_back', key, mark)).status).toBe(409);
    expect(returned(key)).toBe('2026-11-24');
    expect(ask('SELECT count(*) FROM hr_log')).toEqual([[(before[0]![0] as number) + 1]]);
    await office.call('POST', 'rows', {
      changes: [
        {
          op: 'update',
          table: 't_hire',
          key: [key],
          values: { f_hireReturnedOn: null },
          was: { f_hireReturnedOn: '2026-11-24' },
        },
      ],
    });
  });

  it('changes the rows that belong to its record, and never those of another', async () => {
    const [[key, count]] = ask(
      'SELECT hire, count(*) FROM payment WHERE note IS NULL GROUP BY hire HAVING count(*) > 1 ORDER BY hire LIMIT 1',
    ) as [[number, number]];
    const does: ButtonAct = {
      act: 'change',
      rows: 'belonging',
      of: 'f_paymentHire',
      conditions: ['"#f_paymentNote" IS NULL'],
      sets: [
        { field: 'f_paymentNote', expression: `'Receipt R-' || CAST("#f_paymentReceipt" AS VARCHAR(20))` },
      ],
    };
    await withButton(does, async () => {
      const others = (): unknown => ask('SELECT * FROM payment WHERE hire <> ? ORDER BY receipt', key);
      const before = others();
      const seen = await preview('b_new', key);
      expect(seen.body.total).withContext(JSON.stringify(seen.body)).toBe(count);
      const done = await run('b_new', key, seen.body.mark);
      expect(done.status).toBe(200);
      const now = ask('SELECT receipt, note FROM payment WHERE hire = ? ORDER BY receipt', key);
      for (const [receipt, note] of now.filter(([, text]) => String(text).startsWith('Receipt')))
        expect(note).toBe(`Receipt R-${receipt}`);
      expect(now.filter(([, text]) => String(text).startsWith('Receipt R-')).length).toBe(count);
      expect(others()).toEqual(before);
      await office.call('POST', 'desk/screens/o_hireDesk/undo', { entry: done.body.entry }, 'colleague');
    });
  });

  it('changes all rows of a table that it is meant for, exactly, and no more at once than can be looked at', async () => {
    const does = (conditions: string[]): ButtonAct => ({
      act: 'change',
      rows: 'all',
      of: 't_part',
      conditions,
      sets: [{ field: 'f_partPrice', expression: 'ROUND("#f_partPrice" * 1.035, 2)' }],
    });
    await withButton(does(['"#f_partPrice" > 5']), async () => {
      // In thousandths of a penny, half away from zero (ISO/IEC 9075-2 leaves it to the implementation; the office's rule).
      const wanted = ask(
        'SELECT number, (price * 1035 + 500) / 1000 FROM part WHERE price > 500 ORDER BY number',
      );
      const left = ask('SELECT number, price FROM part WHERE price <= 500 ORDER BY number');
      expect(wanted.length).toBeGreaterThan(3);
      const seen = await preview('b_new', 1417);
      expect(seen.body.total).withContext(JSON.stringify(seen.body)).toBe(wanted.length);
      const done = await run('b_new', 1417, seen.body.mark);
      expect(done.status).toBe(200);
      const keys = wanted.map(([number]) => number).join();
      expect(ask(`SELECT number, price FROM part WHERE number IN (${keys}) ORDER BY number`)).toEqual(wanted);
      expect(ask(`SELECT number, price FROM part WHERE number NOT IN (${keys}) ORDER BY number`)).toEqual(
        left,
      );
      await office.call('POST', 'desk/screens/o_hireDesk/undo', { entry: done.body.entry }, 'colleague');
    });
    const many: ButtonAct = {
      act: 'change',
      rows: 'all',
      of: 't_hire',
      conditions: [],
      sets: [{ field: 'f_hireNote', expression: "'x'" }],
    };
    await withButton(many, async () => {
      const { status, body } = await preview('b_new', 1417);
      expect([status, body.detail]).toEqual([
        422,
        jasmine.stringContaining(`More than ${MOST_PREPARED} hires`),
      ]);
    });
  });

  it('goes through the rules of the file, and says which one it breaks', async () => {
    const does: ButtonAct = {
      act: 'change',
      rows: 'this',
      of: null,
      conditions: [],
      sets: [{ field: 'f_hireDueBack', expression: `"#f_hireHiredOn" - INTERVAL '3' DAY` }],
    };
    await withButton(does, async () => {
      const key = out();
      const due = ask('SELECT due_back FROM hire WHERE hire_number = ?', key);
      const seen = await preview('b_new', key);
      const { status, body } = await run('b_new', key, seen.body.mark);
      expect([status, body.type]).toEqual([422, '/problems/rows-refused']);
      expect(body.detail).toBe('An instrument comes back after the day it was hired.');
      expect(ask('SELECT due_back FROM hire WHERE hire_number = ?', key)).toEqual(due);
    });
  });

  it('prints those rows of a report that belong to its record', async () => {
    const [[key, count, sum]] = ask(
      'SELECT hire, count(*), sum(amount) FROM payment GROUP BY hire HAVING count(*) > 2 ORDER BY hire LIMIT 1',
    ) as [[number, number, number]];
    const jobs = office.app.context.jobs;
    const spy = spyOn(jobs, 'run').and.callThrough();
    const answer = await print('b_received', key);
    expect([answer.status, answer.headers['content-type']]).toEqual([200, 'application/pdf']);
    expect(answer.raw.subarray(0, 5).toString()).toBe('%PDF-');
    const task = spy.calls.mostRecent().args[1] as Extract<Task, { task: 'report' }>;
    const { pages } = (await jobs.run(file().path, { ...task, pdf: false }, {})) as Results['report'];
    const model = JSON.parse(pages!) as PageModel;
    expect(model.rowCount).toBe(count);
    expect(Number(model.totals['f_paymentAmount'])).toBe(sum / 100);
    spy.and.callThrough();
  });

  it('is refused by a screen where it is not, for rows that are not shown, and as another sort', async () => {
    expect((await preview('b_none', 1417)).status).toBe(404);
    expect((await preview('b_received', 1417)).status).toBe(404);
    expect((await print('b_back', 1417)).status).toBe(404);
    expect((await preview('b_back', 1417, 'o_repairs')).status).toBe(404);
    expect((await preview('b_back', 987_654)).status).toBe(404);
    const before = form();
    await office.put({ ...before, conditions: ['"#f_hireReturnedOn" IS NOT NULL'] } as Form);
    expect((await preview('b_back', out())).status).toBe(404);
    await office.put(before);
    const key = out();
    for (const body of [
      { key: ['x'] },
      { key: [key], path: ['f_paymentHire'] },
      { key: [key], path: ['f_none'] },
    ])
      expect([400, 404]).toContain((await at('b_back', 'preview', body, 'o_hireDesk', 'colleague')).status);
  });

  it('cannot be saved so that it would not work, in words', async () => {
    const wrong: [ButtonAct, string][] = [
      [{ act: 'print', report: 'p_gone' }, 'no longer there'],
      [{ act: 'print', report: 'p_spend' }, 'do not belong'],
      [{ act: 'open', screen: 'o_gone', link: null }, 'no longer there'],
      [{ act: 'open', screen: 'o_repairs', link: null }, 'nothing leads from here'],
      [{ act: 'change', rows: 'belonging', of: 'f_hirePlayer', conditions: [], sets: [] }, 'no longer there'],
      [{ act: 'change', rows: 'this', of: null, conditions: [], sets: [] }, 'sets no field'],
      [
        {
          act: 'change',
          rows: 'this',
          of: null,
          conditions: ['"#f_gone" = 1'],
          sets: [{ field: 'f_hireNote', expression: 'NULL' }],
        },
        'cannot be worked out',
      ],
      [
        {
          act: 'change',
          rows: 'this',
          of: null,
          conditions: [],
          sets: [{ field: 'f_hirePaid', expression: '1' }],
        },
        'cannot set Paid',
      ],
      [
        {
          act: 'change',
          rows: 'this',
          of: null,
          conditions: [],
          sets: [{ field: 'f_hireDueBack', expression: '1' }],
        },
        'of another kind',
      ],
    ];
    for (const [does, says] of wrong) {
      const before = form();
      const { status, body } = await office.put({
        ...before,
        parts: [...before.parts, button(does)],
      } as Form);
      expect([status, body.detail])
        .withContext(JSON.stringify(does))
        .toEqual([422, jasmine.stringContaining(says)]);
    }
  });

  describe('for somebody with a role', () => {
    let colleague: string;
    beforeAll(async () => {
      const { body } = await office.call('GET', 'people');
      colleague = body.people.find(({ role }: { role: string }) => role === 'colleague').id;
    });
    afterAll(() => office.call('PUT', `people/${colleague}`, { role: 'colleague', duty: null }));

    const ALL = { read: true, add: true, change: true, delete: true, own: null, conditions: [] };
    const SCREENS = ['o_hireDesk', 'o_players', 'o_late'];
    async function give(rest: Partial<RoleDefinition>): Promise<void> {
      const role = { type: 'role', id: 'g_press', label: 'Press', screens: SCREENS, tables: [], fields: [] };
      const put = await office.put({ ...role, ...rest } as RoleDefinition);
      expect(put.status).withContext(JSON.stringify(put.body)).toBe(200);
      expect(
        (await office.call('PUT', `people/${colleague}`, { role: 'colleague', duty: 'g_press' })).status,
      ).toBe(200);
    }
    /** The buttons of a screen as they come to the page. */
    async function shown(screen = 'o_hireDesk'): Promise<string[]> {
      const { body } = await office.call('GET', `desk/screens/${screen}`, undefined, 'colleague');
      const found: string[] = [];
      mapParts((body.form as Form).parts, (part) => {
        if (part.part === 'button') found.push(part.id);
        return part;
      });
      return found;
    }

    it('is there where she may do what it does, and does nothing where she may not', async () => {
      await give({});
      expect(await shown()).toEqual(['b_back', 'b_received']);
      expect(await shown('o_players')).toEqual(['b_hire']);
      const limits: [Partial<RoleDefinition>, string[]][] = [
        [{ tables: [{ ...ALL, table: 't_hire', change: false }] }, ['b_received']],
        [{ fields: [{ field: 'f_hireReturnedOn', people: 'read' }] }, ['b_received']],
        [{ fields: [{ field: 'f_hireReturnedOn', people: 'hidden' }] }, ['b_received']],
        [{ tables: [{ ...ALL, table: 't_payment', read: false }] }, ['b_back']],
        [{ fields: [{ field: 'f_paymentAmount', people: 'hidden' }] }, ['b_back']],
        [{ tables: [{ ...ALL, table: 't_hire', conditions: ['"#f_hireMonthlyFee" > 1'] }] }, ['b_back']],
      ];
      for (const [role, left] of limits) {
        await give(role);
        expect(await shown())
          .withContext(JSON.stringify(role))
          .toEqual(left);
        const key = out();
        expect((await preview('b_back', key)).status === 200)
          .withContext(JSON.stringify(role))
          .toBe(left.includes('b_back'));
        expect((await print('b_received', key)).status === 200)
          .withContext(JSON.stringify(role))
          .toBe(left.includes('b_received'));
      }
      await give({ screens: ['o_players'] });
      expect(await shown('o_players')).toEqual([]);
    });

    it('changes and prints only rows that are there for her', async () => {
      const [[key, first]] = ask(
        'SELECT hire, min(receipt) FROM payment GROUP BY hire HAVING count(*) > 2 ORDER BY hire LIMIT 1',
      ) as [[number, number]];
      const later = `"#f_paymentReceipt" > ${first}`;
      const wanted = ask(
        'SELECT receipt FROM payment WHERE hire = ? AND receipt > ? ORDER BY receipt',
        key,
        first,
      );
      const does: ButtonAct = {
        act: 'change',
        rows: 'belonging',
        of: 'f_paymentHire',
        conditions: [],
        sets: [{ field: 'f_paymentNote', expression: "'Seen'" }],
      };
      await withButton(does, async () => {
        await give({ tables: [{ ...ALL, table: 't_payment', conditions: [later] }] });
        const seen = await preview('b_new', key);
        expect(seen.body.rows.map(({ key: own }: { key: [number] }) => own)).toEqual(wanted);
        const spy = spyOn(office.app.context.jobs, 'run').and.callThrough();
        expect((await print('b_received', key)).status).toBe(200);
        const task = spy.calls.mostRecent().args[1] as Extract<Task, { task: 'report' }>;
        expect(task.only).toContain(later);
      });
    });
  });
});
