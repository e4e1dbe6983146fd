import Database from 'libsql';
import { fieldOf, linksTo } from '@heathridge/core/design';
import { Office } from '../testing/office';
import { MOST_NAMED, type LedFrom } from './children';

describe('the rows that lead to rows', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open()));
  afterAll(() => office.close());

  const children = async (table: string, keys: unknown[], links: unknown[]) =>
    office.call('POST', `tables/${table}/children`, { keys, links });

  it('are as many as the engine counts, for every lookup of every table, and no more are named than asked', async () => {
    const db = new Database(office.path);
    let named = 0;
    for (const table of office.design.tables) {
      const links = linksTo(office.design, table.id);
      if (links.length === 0) continue;
      const column = fieldOf(table, table.key[0]!)!.name;
      const keys = db.prepare(`SELECT "${column}" FROM "${table.name}" ORDER BY 1 LIMIT 40`).raw().all() as (
        string | number
      )[][];
      const { status, body } = await children(
        table.id,
        keys,
        links.map(({ field }) => field.id),
      );
      expect(status).toBe(200);
      const said = body.children as LedFrom[][];
      links.forEach(({ table: child, field }, i) => {
        const counts = keys.map(
          (key) =>
            (
              db.prepare(`SELECT count(*) FROM "${child.name}" WHERE "${field.name}" = ?`).raw().get(key) as [
                number,
              ]
            )[0],
        );
        expect(said[i]!.map(([count]) => count))
          .withContext(`${child.label} by ${field.label}`)
          .toEqual(counts);
        for (const [count, names] of said[i]!) {
          expect(names.length).toBe(Math.min(count, MOST_NAMED));
          for (const name of names) expect(name).toMatch(/\S/);
          named += names.length;
        }
      });
    }
    db.close();
    expect(named).toBeGreaterThan(20);
  });

  it('that only tie rows together are called by what they lead to', async () => {
    const { body } = await children('t_family', [[1]], ['f_mendsFamily']);
    const db = new Database(office.path);
    const names = db
      .prepare(
        'SELECT t.name FROM mends AS s JOIN technician AS t ON t.number = s.technician WHERE s.family = 1',
      )
      .raw()
      .all() as [string][];
    db.close();
    const [[[count, said]]] = body.children as LedFrom[][] as [[LedFrom]];
    expect(count).toBe(names.length);
    for (const name of said) expect(names.flat()).toContain(name);
  });

  it('are asked for by a lookup to this table, of keys of this table', async () => {
    const { design } = office;
    const [table] = design.tables.filter(({ id }) => linksTo(design, id).length > 0);
    const [other] = design.tables.filter(({ id }) => id !== table!.id);
    const links = [linksTo(design, table!.id)[0]!.field.id];
    expect((await children(table!.id, [[1]], ['f_nothing'])).status).toBe(404);
    expect((await children(table!.id, [[1]], [table!.fields[0]!.id])).status).toBe(404);
    expect((await children(other!.id, [], links)).status).toBe(404);
    expect((await children(table!.id, [[1, 2, 3]], links)).status).toBe(400);
    expect((await children(table!.id, [], links)).body.children).toEqual([[]]);
  });
});
