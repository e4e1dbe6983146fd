import Database from 'libsql';
import { fieldOf, linksFrom, type Table } from '@heathridge/core/design';
import type { Change } from '@heathridge/core/change';
import type { RowKey } from '@heathridge/core/rows';
import { Office } from '../testing/office';
import type { Along } from './along';

describe('what goes along with rows that are deleted', () => {
  let office: Office;
  beforeAll(async () => (office = await Office.open()));
  afterAll(() => office.close());

  const along = async (table: string, keys: readonly RowKey[]): Promise<Along[]> => {
    const { status, body } = await office.call('POST', `tables/${table}/along`, { keys });
    expect(status).toBe(200);
    return body.along as Along[];
  };
  const keysOf = (db: Database.Database, { name, key, fields }: Table): RowKey[] => {
    const columns = key.map((id) => `"${fields.find((field) => field.id === id)!.name}"`).join(', ');
    return db.prepare(`SELECT ${columns} FROM "${name}" ORDER BY ${columns}`).raw().all() as RowKey[];
  };

  it('is what the engine then does, for rows of every table: it deletes, empties, or refuses', async () => {
    const db = new Database(office.path);
    db.exec('PRAGMA foreign_keys = ON');
    const { tables } = office.design;
    const links = tables.flatMap((child) => linksFrom(office.design, child));
    const one = (sql: string): number => (db.prepare(sql).raw().get() as [number])[0];
    const state = (): Record<string, number> =>
      Object.fromEntries([
        ...tables.map(({ id, name }) => [id, one(`SELECT count(*) FROM "${name}"`)] as const),
        ...links.map(({ id, child, on }) => {
          const filled = on.map(([own]) => `"${own.name}" IS NOT NULL`).join(' AND ');
          return [`filled ${id}`, one(`SELECT count(*) FROM "${child.name}" WHERE ${filled}`)] as const;
        }),
      ]);
    const seen = new Set<string>();
    for (const table of tables) {
      const keys = keysOf(db, table);
      const before = state();
      for (const start of [0, Math.floor(keys.length / 2), keys.length - 1]) {
        const picked = keys.slice(start, start + 3);
        const said = await along(table.id, picked);
        const where = table.key.map((id) => `"${fieldOf(table, id)!.name}" = ?`).join(' AND ');
        db.exec('BEGIN');
        let refused = false;
        try {
          for (const key of picked) db.prepare(`DELETE FROM "${table.name}" WHERE ${where}`).run([...key]);
        } catch (error) {
          refused = /FOREIGN KEY/.test(String(error));
          expect(refused).withContext(String(error)).toBeTrue();
        }
        const after = state();
        db.exec('ROLLBACK');
        const at = `${table.label} ${JSON.stringify(picked)}: ${JSON.stringify(said)}`;
        for (const { becomes } of said) seen.add(becomes);
        expect(said.some(({ becomes }) => becomes === 'in the way'))
          .withContext(at)
          .toBe(refused);
        if (refused) continue;
        for (const other of tables) {
          const deleted = said.filter((item) => item.table === other.id && item.becomes === 'deleted');
          const own = other.id === table.id ? picked.length : 0;
          expect(before[other.id]! - after[other.id]!)
            .withContext(`${at} in ${other.label}`)
            .toBe(own + deleted.reduce((sum, { count }) => sum + count, 0));
        }
        const emptied = said.filter(({ becomes }) => becomes === 'emptied');
        for (const { link, table: child, count } of emptied) {
          const { id } = links.find((item) => item.child.id === child && item.label === link)!;
          expect(before[`filled ${id}`]! - after[`filled ${id}`]!)
            .withContext(at)
            .toBe(count);
        }
      }
    }
    db.close();
    expect([...seen].sort()).toEqual(['deleted', 'emptied', 'in the way']);
  });

  it('goes round in circles once, and does not count rows that are picked themselves', async () => {
    const own = await Office.open({ demo: false });
    const number = { id: 'f_no', name: 'no', label: 'No', type: { kind: 'wholeNumber' } };
    const lead = {
      id: 'f_lead',
      name: 'lead',
      label: 'Lead',
      type: { kind: 'lookup', table: 't_person', shows: null, onDelete: 'deleteAlong' },
    };
    const rest = { alwaysFilled: false, noTwoAlike: false, indexed: false, start: null, rule: null };
    const person = {
      type: 'table',
      id: 't_person',
      name: 'person',
      label: 'Person',
      plural: 'People',
      fields: [
        { ...rest, ...number, alwaysFilled: true },
        { ...rest, ...lead },
      ],
      key: ['f_no'],
      display: null,
      rules: [],
      links: [],
      noTwoAlike: [],
      order: [],
    };
    const changes = [{ change: 'addTable', table: person }] as unknown as Change[];
    await own.call('POST', 'draft/apply', { base: own.design.version, changes });
    const row = (no: number, leads: number | null) => ({
      op: 'insert' as const,
      table: 't_person',
      values: { f_no: no, f_lead: leads },
    });
    await own.save(row(1, null), row(2, 1), row(3, 2), row(4, 3), row(5, null));
    await own.save({
      op: 'update',
      table: 't_person',
      key: [1],
      values: { f_lead: 4 },
      was: { f_lead: null },
    });
    const asked = async (keys: RowKey[]): Promise<unknown> =>
      (await own.call('POST', 'tables/t_person/along', { keys })).body.along;
    const [one, many] = ['Person', 'People'];
    const going = { table: 't_person', one, many, link: 'Lead', becomes: 'deleted', more: false };
    expect(await asked([[1]])).toEqual([{ ...going, count: 3 }]);
    expect(await asked([[2], [4]])).toEqual([{ ...going, count: 2 }]);
    expect(await asked([[5]])).toEqual([]);
    await own.close();
  });
});
