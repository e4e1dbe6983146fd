import { and, eq, isNull, or } from 'drizzle-orm';
import * as v from 'valibot';
import * as answers from '@heathridge/core/api';
import { GridView, NamedView } from '@heathridge/core/rows';
import type { Call, Router } from '../http/routes';
import { Problem } from '../problem';
import { view } from '../store/file-schema';
import { assertWritable } from '../store/files';
import { tableAt } from './rows';

/** Views of one table. */
const MOST_VIEWS = 200;

/** What somebody may see of the views of a table: her own, and everyone's. */
const seen = ({ file, person, params }: Pick<Call, 'file' | 'person' | 'params'>) =>
  file.orm
    .select()
    .from(view)
    .where(and(eq(view.table, params['table']!), or(eq(view.account, person.id), isNull(view.account))))
    .all();

export function viewRoutes(router: Router): void {
  router.add({
    method: 'GET',
    url: '/api/files/:file/tables/:table/views',
    answer: answers.Views,
    needs: 'builder',
    summary: 'The views of a table: your own, and everyone’s',
    handler: (call) => {
      tableAt(call.file, call.params['table']!);
      const views = seen(call).flatMap(({ id, name, account, by, document }) => {
        const read = v.safeParse(v.pipe(v.string(), v.parseJson(), GridView), document);
        // Another tool may have written anything there.
        return read.success ? [{ id, name, everyone: account === null, by, view: read.output }] : [];
      });
      return { views: views.sort((a, b) => a.name.localeCompare(b.name)) };
    },
  });
  router.add({
    method: 'PUT',
    url: '/api/files/:file/tables/:table/views',
    answer: answers.KeptView,
    needs: 'builder',
    summary: 'Keep a view under a name, in place of one that has it: for yourself, or for everyone',
    body: NamedView,
    handler: (call) => {
      const { context, file, person, params, body } = call;
      assertWritable(file);
      const table = tableAt(file, params['table']!).id;
      const all = seen(call);
      const account = body.everyone ? null : person.id;
      const known = all.find(
        (one) => one.account === account && one.name.toLowerCase() === body.name.toLowerCase(),
      );
      if (!known && all.length >= MOST_VIEWS)
        throw new Problem('bad-request', `A table has at most ${MOST_VIEWS} views. Drop one first.`);
      const id = known?.id ?? context.clock.id('v');
      const values = {
        id,
        table,
        name: body.name,
        account,
        document: JSON.stringify(body.view),
        at: context.clock.now(),
        by: person.name,
      };
      file.orm.insert(view).values(values).onConflictDoUpdate({ target: view.id, set: values }).run();
      return { id };
    },
  });
  router.add({
    method: 'DELETE',
    url: '/api/files/:file/tables/:table/views/:view',
    answer: answers.Gone,
    needs: 'builder',
    summary: 'Drop a view: your own, or everyone’s',
    handler: (call) => {
      const { file, params } = call;
      assertWritable(file);
      const known = seen(call).find(({ id }) => id === params['view']);
      if (!known) throw new Problem('not-found', 'This view is no longer there.');
      file.orm.delete(view).where(eq(view.id, known.id)).run();
      return { gone: true as const };
    },
  });
}
