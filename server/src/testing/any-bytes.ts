import { storedFields } from '@heathridge/core/design';
import { sqlName } from '@heathridge/core/expression';
import { isText } from '@heathridge/core/change';
import { openForWriting } from '../store/driver';
import { Office } from './office';
import { callRoute, ROUTES } from './routes';

/**
 * Calls every route over a file in which a tool, with triggers and checks switched off, has put a text that
 * is no UTF-8 into every text of every row, and then over one whose definitions are so. Run as a process of
 * its own, since that is what must not end; writes one line of JSON: the status of each call.
 */
async function main(): Promise<void> {
  const office = await Office.open();
  const { design, path } = office.app.context.files.get(office.file);
  const tool = openForWriting(path);
  tool.exec('PRAGMA foreign_keys = OFF; PRAGMA ignore_check_constraints = ON');
  const triggers = tool.prepare("SELECT name, sql FROM sqlite_schema WHERE type = 'trigger'").raw().all() as [
    string,
    string,
  ][];
  for (const [name] of triggers) tool.exec(`DROP TRIGGER ${sqlName(name)}`);
  let texts = 0;
  for (const table of design.tables)
    for (const field of storedFields(table).filter(isText)) {
      texts++;
      const column = sqlName(field.name);
      tool.exec(
        `UPDATE ${sqlName(table.name)} SET ${column} = CAST(CAST(${column} AS BLOB) || x'e9' AS TEXT) WHERE ${column} IS NOT NULL`,
      );
    }
  for (const [, sql] of triggers) tool.exec(sql);
  const statuses: Record<string, number> = {};
  const all = async (prefix: string): Promise<void> => {
    for (const route of Object.keys(ROUTES))
      if (route !== 'DELETE /api/session') {
        const { status } = await callRoute(
          office,
          route,
          ROUTES[route]!.for === 'colleague' ? 'colleague' : 'builder',
        );
        statuses[`${prefix} ${route}`] = status;
      }
  };
  await all('rows');
  const list = await office.call('POST', 'tables/t_school/window', { start: 0, limit: 1 });
  const shown = JSON.stringify(list.body);
  tool.exec("UPDATE hr_definition SET document = CAST(CAST(document AS BLOB) || x'e9' AS TEXT)");
  tool.close();
  office.app.context.files.close();
  await all('definitions');
  process.stdout.write(`${JSON.stringify({ texts, shown, statuses })}\n`);
  await office.close();
}

void main();
