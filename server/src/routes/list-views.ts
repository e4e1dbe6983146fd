import { and, eq, isNull, like, or } from 'drizzle-orm';
import * as v from 'valibot';
import { GridView } from '@heathridge/core/rows';
import type { Clock } from '../clock';
import { view } from '../store/file-schema';
import type { OpenFile } from '../store/files';

/** What names a list among the views of a file: its screen, and the links that lead to its rows. */
const nameOf = (path: readonly string[]): string => path.join('/');

/** How the lists of a screen are looked at: as somebody keeps them for herself, else as the builder does for everyone. */
export function listViews(
  { orm }: OpenFile,
  screen: string,
  account: string,
): { path: string[]; own: boolean; view: GridView }[] {
  const rows = orm
    .select()
    .from(view)
    .where(
      and(
        or(eq(view.table, screen), like(view.table, `${screen.replace(/[%_]/g, '_')}/%`)),
        or(eq(view.account, account), isNull(view.account)),
      ),
    )
    .all();
  return rows.flatMap(({ table, account: owner, document }) => {
    const [first, ...path] = table.split('/');
    const read = v.safeParse(v.pipe(v.string(), v.parseJson(), GridView), document);
    // Another tool may have written anything there.
    return first === screen && read.success ? [{ path, own: owner !== null, view: read.output }] : [];
  });
}

/** By what people sort and narrow their lists, those of all screens and of all people together. */
export function keptOrders({ orm }: OpenFile): unknown[] {
  const rows = orm.select({ document: view.document }).from(view).all();
  return rows.flatMap(({ document }) => {
    const read = v.safeParse(v.pipe(v.string(), v.parseJson(), GridView), document);
    return read.success ? [read.output.sort, read.output.conditions] : [];
  });
}

/** Keeps how a list is looked at, in place of what was kept before; null for as it is by itself. Gives its id. */
export function keepListView(
  { orm }: OpenFile,
  path: readonly string[],
  person: { readonly id: string; readonly name: string } | null,
  document: GridView | null,
  clock: Clock,
): string {
  const table = nameOf(path);
  const owner = person ? eq(view.account, person.id) : isNull(view.account);
  const known = orm
    .select()
    .from(view)
    .where(and(eq(view.table, table), owner))
    .get();
  const id = known?.id ?? clock.id('v');
  if (document === null) {
    orm.delete(view).where(eq(view.id, id)).run();
    return id;
  }
  const values = {
    id,
    table,
    name: 'list',
    account: person?.id ?? null,
    document: JSON.stringify(document),
    at: clock.now(),
    by: person?.name ?? '',
  };
  orm.insert(view).values(values).onConflictDoUpdate({ target: view.id, set: values }).run();
  return id;
}
