import { PGlite } from '@electric-sql/pglite';
import { allLinks } from '@heathridge/core/design';
import { standardDdl } from '@heathridge/core/exchange';
import { Office } from '../testing/office';
import '../testing/timeouts';

/** The written schema is run by an engine of others (PostgreSQL, compiled to WebAssembly: npm @electric-sql/pglite). */
describe('the schema in standard SQL', () => {
  it('is taken by another engine, which then refuses what ours refuses', async () => {
    const office = await Office.open();
    const db = new PGlite();
    try {
      // The one type of the standard that this engine calls otherwise.
      const { design } = office;
      const kindsTogether = { noTwoAlike: [['f_kindName', 'f_kindFamily']] };
      const tables = design.tables.map((table) =>
        table.name === 'kind'
          ? {
              ...table,
              ...kindsTogether,
              fields: table.fields.map((field) => ({ ...field, noTwoAlike: false })),
            }
          : table,
      );
      await db.exec(standardDdl({ ...design, tables }).replaceAll('BINARY LARGE OBJECT', 'bytea'));
      const { rows } = await db.query<{ n: number }>(
        "SELECT count(*)::int AS n FROM information_schema.tables WHERE table_schema = 'public'",
      );
      expect(rows[0]!.n).toBe(office.design.tables.length);
      const { rows: links } = await db.query<{ n: number }>(
        'SELECT count(*)::int AS n FROM information_schema.referential_constraints',
      );
      expect(links[0]!.n).toBe(allLinks(office.design).length);
      await db.exec(
        "INSERT INTO school (name) VALUES ('A'); INSERT INTO family (name) VALUES ('F'); INSERT INTO kind (name, family) VALUES ('K', 1)",
      );
      await db.exec("INSERT INTO instrument (kind, condition, value) VALUES (1, 'Good', 12.50)");
      const refused: string[] = [
        "INSERT INTO instrument (kind, condition) VALUES (1, 'Lost')",
        "INSERT INTO instrument (kind, condition, value) VALUES (1, 'Good', -1)",
        "INSERT INTO instrument (kind, condition) VALUES (9, 'Good')",
        "INSERT INTO school (name) VALUES ('A')",
        "INSERT INTO kind (name, family) VALUES ('K', 1)",
        'INSERT INTO school (name) VALUES (NULL)',
        'DELETE FROM kind',
      ];
      for (const sql of refused) {
        const outcome = await db.exec(sql).then(
          () => 'taken',
          () => 'refused',
        );
        expect(outcome).withContext(sql).toBe('refused');
      }
    } finally {
      await db.close();
      await office.close();
    }
  });
});
