import { Office } from '../testing/office';
import '../testing/timeouts';

describe('is everything sound?', () => {
  let office: Office;
  beforeEach(async () => (office = await Office.open()));
  afterEach(() => office.close());
  const ask = async () => (await office.call('POST', 'sound', {})).body;
  /** A tool that switches off what holds the file's promises while it writes. */
  function roughly(sql: string): void {
    const { writer } = office.app.context.files.get(office.file);
    writer.exec(`PRAGMA foreign_keys = OFF; PRAGMA ignore_check_constraints = ON; ${sql};
      PRAGMA ignore_check_constraints = OFF; PRAGMA foreign_keys = ON`);
  }

  it('the demo is, and says so without being asked once it is opened', async () => {
    expect(await ask()).toEqual({ findings: [], missing: [], damage: [] });
    const { body } = await office.call('GET', 'sound');
    expect(body).toEqual({
      asking: false,
      result: { findings: [], missing: [], damage: [] },
      version: jasmine.any(Number),
    });
  });

  it('finds rows that came while keys, checks and triggers were off, to be mended one by one', async () => {
    roughly(`UPDATE hire SET player = 999999 WHERE hire_number = 1417;
      UPDATE hire SET due_back = 'soon' WHERE hire_number = 1418`);
    const { findings } = await ask();
    const sorts = (findings as { sort: string; table: string; count: number }[]).map(
      ({ sort, table, count }) => [sort, table, count],
    );
    expect(sorts).toContain(['orphan', 't_hire', 1]);
    expect(sorts).toContain(['kind', 't_hire', 1]);
    const orphan = findings.find(({ sort }: { sort: string }) => sort === 'orphan');
    const { body } = await office.call('POST', 'sound/found', { number: orphan.number, offset: 0 });
    expect(body.rows[0].key).toEqual([1417]);
    const [[player]] = office.app.context.files
      .get(office.file)
      .reader.prepare('SELECT min(number) FROM player')
      .raw()
      .all() as [[number]];
    const mended = await office.save({
      op: 'update',
      table: 't_hire',
      key: [1417],
      values: { f_hirePlayer: player },
      was: {},
    });
    expect(mended.status).withContext(JSON.stringify(mended.body)).toBe(200);
    expect((await ask()).findings.map(({ sort }: { sort: string }) => sort)).not.toContain('orphan');
  });

  it('sees a trigger that is gone, and puts it in place again', async () => {
    const { writer } = office.app.context.files.get(office.file);
    const [[name]] = writer
      .prepare("SELECT name FROM sqlite_schema WHERE type = 'trigger' AND name LIKE '% rule %' LIMIT 1")
      .raw()
      .all() as [[string]];
    writer.exec(`DROP TRIGGER "${name}"`);
    expect((await ask()).missing).toEqual([
      jasmine.stringMatching(/^Nothing in the file holds the rule “.+” of /),
    ]);
    const { body } = await office.call('POST', 'sound/repair', {});
    expect(body.missing).toEqual([]);
  });

  it('shows texts that are none, to be written anew', async () => {
    const { writer } = office.app.context.files.get(office.file);
    writer.exec(`DROP TRIGGER "player texts update";
      UPDATE player SET surname = CAST(x'436166e9' AS TEXT) WHERE number = 1`);
    const { findings } = await ask();
    const text = findings.find(({ sort }: { sort: string }) => sort === 'text');
    expect(text).toEqual(jasmine.objectContaining({ table: 't_player', field: 'f_playerSurname', count: 1 }));
    const { body } = await office.call('POST', 'sound/found', { number: text.number, offset: 0 });
    expect(body.rows[0].key).toEqual([1]);
    expect(body.rows[0].value).toBe('Caf\ufffd');
    await office.call('POST', 'sound/repair', {});
    const mended = await office.save({
      op: 'update',
      table: 't_player',
      key: [1],
      values: { f_playerSurname: 'Café' },
      was: { f_playerSurname: 'Caf\ufffd' },
    });
    expect(mended.status).withContext(JSON.stringify(mended.body)).toBe(200);
    expect(await ask()).toEqual({ findings: [], missing: [], damage: [] });
  });

  it('sees an order that is not that of the rows, and puts them in order again', async () => {
    const { writer } = office.app.context.files.get(office.file);
    const [[table]] = writer
      .prepare(
        "SELECT name FROM sqlite_schema WHERE type = 'table' AND name LIKE 'hr!_order!_%' ESCAPE '!' LIMIT 1",
      )
      .raw()
      .all() as [[string]];
    writer.exec(`UPDATE "${table}" SET o = o || 'x'`);
    expect((await ask()).missing).toEqual([jasmine.stringMatching(/is not in the right order any more/)]);
    const { body } = await office.call('POST', 'sound/repair', {});
    expect(body).toEqual({ findings: [], missing: [], damage: [] });
  });
});
