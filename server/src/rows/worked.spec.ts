import { Office } from '../testing/office';

describe('what somebody has worked on last', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open()));
  afterAll(() => office.close());

  interface Worked {
    records: { screen: string; key: unknown[]; title: string | null; added: boolean }[];
    draft: { changes: number } | null;
  }
  const worked = async (who: 'builder' | 'colleague' = 'colleague'): Promise<Worked> =>
    (await office.call('GET', 'desk/worked', undefined, who)).body as Worked;
  const save = async (screen: string, changes: object[], who: 'builder' | 'colleague' = 'colleague') => {
    const { status, body } = await office.call('POST', `desk/screens/${screen}/save`, { changes }, who);
    expect(status).withContext(JSON.stringify(body)).toBe(200);
    return body.saved as { key: unknown[] }[];
  };
  const note = (key: number, text: string) => ({
    op: 'update',
    table: 't_hire',
    key: [key],
    values: { f_hireNote: text },
    was: { f_hireNote: null },
  });

  it('is nothing to begin with', async () => {
    expect(await worked()).toEqual({ records: [], draft: null });
  });

  it('are her own records, newest first and each once, also by the rows of a subform', async () => {
    const [first, second, third] = office.app.context.files
      .get(office.file)
      .reader.prepare('SELECT hire_number FROM hire WHERE note IS NULL ORDER BY hire_number DESC LIMIT 3')
      .raw()
      .all()
      .map((row) => (row as [number])[0]) as [number, number, number];
    await save('o_hireDesk', [note(first, 'one')]);
    await save('o_hireDesk', [note(second, 'two')], 'builder');
    await save('o_hireDesk', [note(third, 'three')]);
    await save('o_hireDesk', [
      {
        op: 'insert',
        table: 't_payment',
        temp: 'p',
        values: {
          f_paymentHire: first,
          f_paymentPaidOn: '2026-11-20',
          f_paymentAmount: '5.00',
          f_paymentMethod: 'Cash',
        },
      },
    ]);
    const { records } = await worked();
    expect(records.map(({ screen, key, added }) => [screen, key, added])).toEqual([
      ['o_hireDesk', [first], false],
      ['o_hireDesk', [third], false],
    ]);
    expect(records[0]!.title).toMatch(/^\S+, \S+/);
    expect((await worked('builder')).records.map(({ key }) => key)).toEqual([[second]]);
  });

  it('leaves out what is gone, and says what was added', async () => {
    const [made] = await save('o_players', [
      {
        op: 'insert',
        table: 't_player',
        temp: 'p',
        values: { f_playerSurname: 'Wren', f_playerFirstName: 'Pia', f_playerActive: true },
      },
    ]);
    expect((await worked()).records[0]).toEqual(
      jasmine.objectContaining({ screen: 'o_players', key: made!.key, title: 'Wren, Pia', added: true }),
    );
    await save('o_players', [{ op: 'delete', table: 't_player', key: made!.key }]);
    expect((await worked()).records.some(({ screen }) => screen === 'o_players')).toBeFalse();
  });

  it('tells a builder of her draft', async () => {
    const changes = [
      { change: 'changeField', table: 't_hire', field: 'f_hireNote', set: { label: 'Remark' } },
    ];
    await office.call('PUT', 'draft', { base: office.design.version, changes });
    expect((await worked('builder')).draft).toEqual(jasmine.objectContaining({ changes: 1 }));
    expect((await worked()).draft).toBeNull();
    await office.call('PUT', 'draft', { base: office.design.version, changes: [] });
    expect((await worked('builder')).draft).toBeNull();
  });

  it('stands what another tool has written into the history', async () => {
    const { writer } = office.app.context.files.get(office.file);
    const insert = writer.prepare(
      `INSERT INTO hr_history (at, "by", table_id, key, op, before, after) VALUES ('2026-11-25T12:00:00Z', ?, ?, ?, 'update', NULL, ?)`,
    );
    const name = office.app.context.accounts.person(office.token)!.name;
    for (const [table, key, kept] of [
      ['t_hire', 'no json', '{}'],
      ['t_hire', '[1, 2, 3]', '{}'],
      ['t_hire', '{"a": 1}', '{}'],
      ['t_gone', '[1]', '{}'],
      ['t_payment', '[1]', '[]'],
      ['t_payment', '[1]', 'x'],
      ['t_payment', '[1]', '{"f_paymentHire": {"a": 1}}'],
    ])
      insert.run([name, table, key, kept]);
    expect((await worked('builder')).records.length).toBe(1);
  });
});
