import Database from 'libsql';
import { Office } from '../testing/office';
import { callRoute, ROUTES } from '../testing/routes';
import '../testing/timeouts';

/** What takes the lock for writing, which somebody else may have. A plain BEGIN takes none. */
const WRITES =
  /^\s*(begin (immediate|exclusive)|insert|update|delete|replace|with\b[^]*\b(insert|update|delete)\b)/i;

describe('whatever the server itself writes', () => {
  it('stands in a transaction that was begun for it, and not by a statement that is kept', async () => {
    const alone = new Set<string>();
    let within = 0;
    const prepare = Reflect.get(Database.prototype, 'prepare') as (sql: string) => Database.Statement;
    spyOn(Database.prototype, 'prepare').and.callFake(function (this: Database.Database, sql: string) {
      const made = prepare.call(this, sql);
      if (!WRITES.test(sql)) return made as never;
      for (const how of ['run', 'get', 'all'] as const) {
        const own = made[how].bind(made) as (...values: unknown[]) => unknown;
        made[how] = ((...values: unknown[]) => {
          if (this.inTransaction) within++;
          else alone.add(sql.slice(0, 200));
          return own(...values);
        }) as never;
      }
      return made as never;
    });
    const office = await Office.open();
    const saved = await office.save({
      op: 'insert',
      table: 't_school',
      values: { f_schoolName: 'A new one' },
    });
    expect(saved.status).toBe(200);
    // Who has signed out is not let in any more.
    const last = 'DELETE /api/session';
    const statuses: number[] = [];
    for (const route of [...Object.keys(ROUTES).filter((name) => name !== last), last])
      statuses.push((await callRoute(office, route, 'builder')).status);
    expect(statuses.filter((status) => status === 200).length).toBeGreaterThan(statuses.length / 2);
    await office.close();
    expect(within).toBeGreaterThan(100);
    expect([...alone]).toEqual([]);
  });
});
