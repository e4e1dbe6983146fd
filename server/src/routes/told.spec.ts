import { execFileSync } from 'node:child_process';
import type { Board, Form, Query } from '@heathridge/core/design';
import { asList, formFromTable } from '@heathridge/core/form';
import { newQuery, so } from '@heathridge/core/query';
import { Office } from '../testing/office';

/** Queries as tables to the rest of a file: they tell which rows a screen shows and a lookup offers. */
describe('rows that a query tells', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open()));
  afterAll(() => office.close());

  const put = async (document: { readonly id: string }): Promise<void> => {
    const { status, body } = await office.call('PUT', `definitions/${document.id}`, { document, base: 0 });
    if (status !== 200) throw new Error(JSON.stringify(body));
  };
  const query = (id: string, from: string, rest: Partial<Query>): Query => ({
    ...newQuery(id, id, { id: from }),
    ...rest,
  });
  const instruments = (): Form =>
    formFromTable(
      office.design,
      office.design.tables.find(({ id }) => id === 't_instrument')!,
      'o_x',
      'X',
      0,
    );
  const list = (id: string, told: string, rest: Partial<Form> = {}): Form => {
    const form = asList(instruments());
    return { ...form, id, label: id, query: told, list: { ...form.list!, watch: true }, ...rest };
  };
  const keysOf = async (screen: string): Promise<unknown[]> => {
    const found: unknown[] = [];
    for (let start = 0; ; start += 200) {
      const { status, body } = await office.call('POST', `desk/screens/${screen}/page`, {
        start,
        limit: 200,
      });
      expect(status).withContext(JSON.stringify(body)).toBe(200);
      found.push(...(body.rows as { key: [unknown] }[]).map(({ key }) => key[0]));
      if (start + 200 >= body.total) return found;
    }
  };
  const sorted = (values: unknown[]): unknown[] => [...values].sort();
  const byHand = (sql: string): unknown[] => office.ask<[unknown]>(sql).map(([key]) => key);
  const NEVER = `SELECT asset_number FROM instrument WHERE asset_number NOT IN (SELECT instrument FROM hire)`;
  const COSTLY = `SELECT r.instrument FROM repair_line l JOIN repair r ON r.job = l.repair GROUP BY 1
    HAVING sum(l.cost) > coalesce((SELECT sum(p.amount) FROM payment p JOIN hire h ON h.hire_number = p.hire
      WHERE h.instrument = r.instrument), 0)`;

  it('are those of the table it starts from, in lists, as records, in numbers and on boards', async () => {
    await put(list('o_never', 'q_neverHired'));
    const never = byHand(NEVER);
    expect(never.length).toBeGreaterThan(0);
    expect(sorted(await keysOf('o_never'))).toEqual(sorted(never));
    const watches = await office.call('GET', 'desk/watches');
    const watch = (watches.body.watches as { screen: string; count: number }[]).find(
      ({ screen }) => screen === 'o_never',
    );
    expect(watch?.count).toBe(never.length);
    // As records: what the query does not tell is not there.
    await put({ ...instruments(), id: 'o_neverOne', query: 'q_neverHired' } as Form);
    const read = (key: unknown) =>
      office.call('GET', `desk/screens/o_neverOne/record?key=${encodeURIComponent(JSON.stringify([key]))}`);
    expect((await read(never[0])).status).toBe(200);
    const [hired] = byHand('SELECT instrument FROM hire LIMIT 1');
    expect((await read(hired)).status).toBe(404);
    const listed = await office.call('GET', 'desk/screens/o_neverOne/list');
    expect([listed.body.total, listed.body.all]).toEqual([never.length, never.length]);
  });

  it('are those whose keys stand in a column of it, through groups and other queries', async () => {
    await put(list('o_costly', 'q_costly', { conditions: ['"#f_instrumentCondition" <> \'Retired\''] }));
    const [costly, retired] = [
      byHand(COSTLY),
      byHand("SELECT asset_number FROM instrument WHERE condition = 'Retired'"),
    ];
    const kept = costly.filter((key) => !retired.includes(key));
    expect(kept.length).toBeGreaterThan(0);
    expect(sorted(await keysOf('o_costly'))).toEqual(sorted(kept));
  });

  it('are as many as it ends with, and those that it keeps of its result', async () => {
    const sort = [{ column: 'value', descending: true }];
    await put(
      query('q_dear', 't_instrument', {
        columns: [{ id: 'value', label: 'Value', expression: '"#f_instrumentValue"' }],
        keep: [so('"#value" < 1000')],
        sort,
        first: 3,
      }),
    );
    await put(list('o_dear', 'q_dear'));
    const values = (keys: unknown[]): unknown[] =>
      byHand(
        `SELECT value FROM instrument WHERE asset_number IN (${keys.map(String).join(', ')}) ORDER BY 1 DESC`,
      );
    const dear = await keysOf('o_dear');
    expect(dear.length).toBe(3);
    expect(values(dear)).toEqual(
      byHand('SELECT value FROM instrument WHERE value < 100000 ORDER BY value DESC LIMIT 3'),
    );
  });

  it('bound what is written through its screen as well', async () => {
    await put(list('o_mend', 'q_neverHired', { rights: { add: false, change: true, delete: false } }));
    const save = (key: unknown) =>
      office.call('POST', 'desk/screens/o_mend/save', {
        changes: [
          {
            op: 'update',
            table: 't_instrument',
            key: [key],
            values: { f_instrumentNote: 'Looked at.' },
            before: {},
          },
        ],
      });
    const [hired] = byHand('SELECT instrument FROM hire LIMIT 1');
    const refused = await save(hired);
    expect(refused.status).withContext(JSON.stringify(refused.body)).not.toBe(200);
  });

  it('are none of a query that does not tell them, which is said when the screen is kept', async () => {
    for (const [told, words] of [
      ['q_takings', 'none stand in its rows'],
      ['q_gone', 'is no longer there'],
      ['q_whose', 'which has no answer to start with'],
    ] as const) {
      if (told === 'q_whose')
        await put(
          query('q_whose', 't_instrument', {
            questions: [
              {
                id: 'a_kind',
                name: 'which',
                label: 'Which kind?',
                answer: { kind: 'lookup', field: 'f_instrumentKind' },
                start: null,
                needed: true,
              },
            ],
            where: [so('"#f_instrumentKind" = "#a_kind"')],
          }),
        );
      const { status, body } = await office.call('PUT', 'definitions/o_bad', {
        document: list('o_bad', told),
        base: 0,
      });
      expect([status, JSON.stringify(body)]).toEqual([422, jasmine.stringContaining(words)]);
    }
  });

  it('stand behind what is over them: a query goes on telling them while something needs that', async () => {
    const told = query('q_needed', 't_instrument', { where: [so('"#f_instrumentValue" > 100')] });
    await put(told);
    await put(list('o_needs', 'q_needed'));
    const { versions } = (await office.call('GET', 'design')).body;
    const change = (document: Query) =>
      office.call('PUT', 'definitions/q_needed', { document, base: versions['q_needed'].version });
    const total = { id: 'n', label: 'Many', total: 'count' as const, expression: null };
    const refused = await change({ ...told, group: { by: [], measures: [total] } });
    expect([refused.status, refused.body.detail]).toEqual([
      422,
      'The form o_needs could not be used any more: The query q_needed whose rows o_needs shows does not tell which instruments are meant: none stand in its rows.',
    ]);
    expect((await change({ ...told, first: 2 })).status).toBe(200);
    expect((await keysOf('o_needs')).length).toBe(2);
    const dropped = await office.call('DELETE', 'definitions/q_needed?base=2');
    expect([dropped.status, dropped.body.detail]).toEqual([
      422,
      'q_needed is used by o_needs: take it out there first.',
    ]);
  });

  it('are chosen by what the row answers in which a lookup stands', async () => {
    // A repair is of an instrument that is worth what its own job number says: what is asked comes from the row.
    await put(
      query('q_least', 't_instrument', {
        questions: [
          {
            id: 'a_least',
            name: 'least',
            label: 'Least value?',
            answer: { kind: 'wholeNumber' },
            start: '0',
            needed: false,
          },
        ],
        where: [so('"#f_instrumentValue" >= "#a_least"')],
      }),
    );
    const field = office.design.tables
      .find(({ id }) => id === 't_repair')!
      .fields.find(({ id }) => id === 'f_repairInstrument')!;
    const type = { ...field.type, query: 'q_least' };
    const change = (answers: object[]) => ({
      change: 'changeField',
      table: 't_repair',
      field: field.id,
      set: { type: { ...type, answers } },
    });
    const apply = (answers: object[]) =>
      office.call('POST', 'draft/apply', { base: office.design.version, changes: [change(answers)] });
    const wrong = await apply([{ question: 'a_least', by: '"#f_repairBroughtIn"' }]);
    expect([wrong.status, JSON.stringify(wrong.body)]).toEqual([
      422,
      jasmine.stringContaining('is asked for'),
    ]);
    const made = await apply([{ question: 'a_least', by: 'CHAR_LENGTH("#f_repairFault") * 100' }]);
    expect(made.status).withContext(JSON.stringify(made.body)).toBe(200);
    const offered = async (row: object | null): Promise<number[]> => {
      const { body } = await office.call('POST', 'lookups/f_repairInstrument', { search: '', row });
      return (body.choices as [number][]).map(([key]) => key);
    };
    const worth = (keys: number[]): number =>
      Number(byHand(`SELECT min(value) FROM instrument WHERE asset_number IN (${keys.join(', ')})`)[0]) / 100;
    // Nothing is answered without a row: the question starts as it says.
    expect(worth(await offered(null))).toBeLessThan(500);
    const dear = await offered({ f_repairFault: 'Bell.' });
    expect(dear.length).toBeGreaterThan(0);
    expect(worth(dear)).toBeGreaterThanOrEqual(500);
    // What cannot be worked out, or is empty, leaves the condition out: nothing need be answered here.
    expect((await offered({ f_repairFault: null })).length).toBe((await offered(null)).length);
  });

  it('are printed by a button as its row answers, though they do not belong to it', async () => {
    await put(
      query('q_bySchool', 't_hire', {
        questions: [
          {
            id: 'a_school',
            name: 'which_school',
            label: 'Which school?',
            answer: { kind: 'lookup', field: 'f_playerSchool' },
            start: null,
            needed: true,
          },
        ],
        where: [so('"#f_hirePlayer"."#f_playerSchool" = "#a_school"')],
        columns: [{ id: 'no', label: 'Hire', expression: '"#f_hireHireNumber"' }],
      }),
    );
    await put({
      type: 'report',
      id: 'p_bySchool',
      label: 'Hires by school',
      source: { kind: 'query', id: 'q_bySchool' },
      columns: [{ column: 'no', label: 'Hire', sum: false }],
      group: null,
      sort: null,
      paper: 'A4 tall',
    } as never);
    const school = office.design.tables.find(({ id }) => id === 't_school')!;
    const form = formFromTable(office.design, school, 'o_school', 'School', 0);
    const button = (answers: object[]) => ({
      part: 'button' as const,
      id: 'b_hires',
      label: 'Its hires',
      width: 3,
      does: { act: 'print' as const, report: 'p_bySchool', answers },
    });
    const refused = await office.call('PUT', 'definitions/o_school', {
      document: { ...form, parts: [...form.parts, button([])] },
      base: 0,
    });
    expect([refused.status, JSON.stringify(refused.body)]).toEqual([
      422,
      jasmine.stringContaining('asks nothing'),
    ]);
    const answers = [{ question: 'a_school', by: `"#${school.key[0]!}"` }];
    await put({ ...form, parts: [...form.parts, button(answers)] } as never);
    const [[key, hires]] = office.ask<[number, number]>(
      `SELECT p.school, count(*) FROM hire h JOIN player p ON p.number = h.player
       WHERE p.school IS NOT NULL GROUP BY 1 ORDER BY 2 DESC LIMIT 1`,
    ) as [[number, number]];
    const pdf = await office.call(
      'GET',
      `desk/screens/o_school/buttons/b_hires/print?key=${JSON.stringify([key])}`,
    );
    expect(pdf.status).withContext(pdf.raw.toString('utf8').slice(0, 300)).toBe(200);
    expect(pdf.raw.subarray(0, 5).toString()).toBe('%PDF-');
    const text = execFileSync('pdftotext', ['-layout', '-', '-'], { input: pdf.raw, encoding: 'utf8' });
    expect(text).toContain(`${hires} rows`);
  });

  it('are asked about on a board, each question once, and drawn by the answers', async () => {
    await put(
      query('q_kinds', 't_hire', {
        questions: [
          {
            id: 'a_of',
            name: 'of_school',
            label: 'Of which school?',
            answer: { kind: 'lookup', field: 'f_playerSchool' },
            start: null,
            needed: false,
          },
        ],
        where: [so('"#f_hirePlayer"."#f_playerSchool" = "#a_of"')],
        group: {
          by: [{ id: 'kind', label: 'Kind', expression: '"#f_hireInstrument"."#f_instrumentKind"' }],
          measures: [{ id: 'n', label: 'Hires', total: 'count', expression: null }],
        },
      }),
    );
    const board: Board = {
      type: 'board',
      id: 'h_asks',
      label: 'Asks',
      parts: (['chart', 'pivot'] as const).map((part) => ({
        part,
        id: `k_${part}`,
        width: 6,
        height: 6,
        query: 'q_kinds',
      })),
      filters: [],
    };
    await put(board);
    const { body } = await office.call('GET', 'desk/boards/h_asks');
    expect(body.asked).toEqual([
      {
        parts: ['k_chart', 'k_pivot'],
        asked: jasmine.objectContaining({
          id: 'a_of',
          label: 'Of which school?',
          needed: false,
          lookup: 'f_playerSchool',
          start: null,
        }),
      },
    ]);
    const drawn = async (answers: object): Promise<number> => {
      const answer = await office.call('POST', 'desk/boards/h_asks/drawn', { part: 'k_chart', answers });
      expect(answer.status).withContext(JSON.stringify(answer.body)).toBe(200);
      return (answer.body.rows as [unknown, number | string][]).reduce((sum, [, n]) => sum + Number(n), 0);
    };
    const [[key, hires]] = office.ask<[number, number]>(
      `SELECT p.school, count(*) FROM hire h JOIN player p ON p.number = h.player
       WHERE p.school IS NOT NULL GROUP BY 1 ORDER BY 2 DESC LIMIT 1`,
    ) as [[number, number]];
    expect(await drawn({})).toBe(Number(byHand('SELECT count(*) FROM hire')[0]));
    expect(await drawn({ a_of: key })).toBe(hires);
    const gone = await office.call('POST', 'desk/boards/h_asks/drawn', {
      part: 'k_chart',
      answers: { a_of: 999_999 },
    });
    expect([gone.status, gone.body.detail]).toEqual([404, 'This school is no longer there.']);
    const choices = await office.call('POST', 'desk/boards/h_asks/choices', {
      filter: 'f_playerSchool',
      search: '',
      only: key,
    });
    expect((choices.body.choices as [number][]).map(([own]) => own)).toEqual([key]);
    // No other lookup is asked through it.
    const other = await office.call('POST', 'desk/boards/h_asks/choices', {
      filter: 'f_hirePlayer',
      search: '',
      only: null,
    });
    expect(other.status).toBe(404);
  });
});
