import { randomUUID } from 'node:crypto';
import * as v from 'valibot';
import * as answers from '@heathridge/core/api';
import { Id, type ButtonAct, type Form, type FormButton, type Table } from '@heathridge/core/design';
import {
  answersAny,
  buttonsOf,
  changedTable,
  keyIs,
  levelOf,
  levelTo,
  queryOfReport,
  reportLink,
  shownRows,
  valueIs,
} from '@heathridge/core/form';
import { designOf, rowsThere, type Viewer } from '@heathridge/core/people';
import { Key, type RowKey } from '@heathridge/core/rows';
import type { Context } from '../http/context';
import { Problem } from '../problem';
import type { Call, Router } from '../http/routes';
import { isAmong } from '../rows/among';
import { answersOver, keptRow } from '../rows/unsaved-row';
import type { Prepared } from '../rows/prepared-change';
import type { OpenFile } from '../store/files';
import { sendPdf } from './report';
import { checkedKeys, keyFrom, saveWithin } from './rows';

/** Rows of a prepared change that are shown one by one. */
const MOST_SHOWN = 100;

/** The row for which a button is pressed: the links that lead to it from the record, and its key. */
const Path = v.optional(v.pipe(v.array(Id), v.maxLength(12)), []);

/** A button, and the row around it. */
interface Pressed<A extends ButtonAct['act']> {
  readonly button: FormButton;
  readonly does: Extract<ButtonAct, { readonly act: A }>;
  readonly table: Table;
  readonly key: RowKey;
}

/** The button of a screen that the address names, pressed for a row which the screen shows. Throws `not-found`. */
function pressed<A extends ButtonAct['act']>(
  file: OpenFile,
  viewer: Viewer,
  act: A,
  at: { readonly button: string; readonly path: readonly string[]; readonly key: (table: Table) => RowKey },
): Pressed<A> {
  const screen: Form | null = viewer.screen;
  const root = screen && levelOf(designOf(file.design, viewer), screen);
  const level = root && levelTo(root, at.path);
  const parts = level?.subform?.parts ?? screen?.parts ?? [];
  const button = buttonsOf(level ? parts : []).find(({ id }) => id === at.button);
  if (!level || button?.does.act !== act) throw new Problem('not-found', 'This button is no longer there.');
  const table = file.design.tables.find(({ id }) => id === level.table.id)!;
  const key = at.key(table);
  const conditions = shownRows(level.subform ?? viewer.screen!);
  if (!isAmong(file.reader, file.design, table, key, [conditions]))
    throw new Problem('not-found', `This ${table.label.toLowerCase()} is no longer there.`);
  return { button, does: button.does as Pressed<A>['does'], table, key };
}

/** What a button of a prepared change would do now, and to rows of which table. */
async function prepared(
  { jobs }: Context,
  file: OpenFile,
  viewer: Viewer,
  { button, does, table, key }: Pressed<'change'>,
  signal: AbortSignal,
): Promise<{ readonly changed: Table; readonly found: Prepared }> {
  const changed = changedTable(file.design, table, does);
  const link = changed?.fields.find(({ id }) => id === does.of);
  if (!changed || (does.rows === 'belonging' && !link))
    throw new Problem('design-invalid', `${button.label} changes rows that are no longer there.`);
  const own =
    does.rows === 'this' ? [keyIs(table, key)] : does.rows === 'belonging' ? [valueIs(link!, key[0]!)] : [];
  const conditions = [...own, ...does.conditions, ...rowsThere(viewer, changed)];
  const order = { table: changed.id, conditions, sets: does.sets };
  const found = await jobs.run(
    file.path,
    { task: 'prepared change', design: designOf(file.design, viewer), order },
    { signal },
  );
  return { changed, found };
}

export function buttonRoutes(router: Router): void {
  const URL = '/api/files/:file/desk/screens/:screen/buttons/:button';
  const keyAt =
    ({ file }: Pick<Call, 'file'>, key: RowKey) =>
    (table: Table): RowKey =>
      checkedKeys(file, table, [key])[0]!;
  router.add({
    method: 'GET',
    url: `${URL}/print`,
    needs: 'colleague',
    summary: 'What a button prints for a row, as PDF: those rows of its report that belong to it',
    query: v.object({
      /** Links, with a comma between them. */
      path: v.optional(v.pipe(v.string(), v.maxLength(400)), ''),
      key: v.pipe(v.string(), v.maxLength(2000)),
    }),
    handler: (call) => {
      const { file, viewer, params, query } = call;
      const { button, does, table, key } = pressed(file, viewer, 'print', {
        button: params['button']!,
        path: query.path === '' ? [] : query.path.split(','),
        key: (at) => keyFrom(file, at, query.key),
      });
      const report = file.design.reports.find(({ id }) => id === does.report);
      const link = report && reportLink(file.design, table, report);
      const answering = does.answers ?? [];
      if (!report || (link === undefined && !answersAny(file.design, report, answering)))
        throw new Problem('not-found', `What ${button.label} prints is no longer there.`);
      const { source } = report;
      const begins = queryOfReport(file.design, report)?.from ?? source.id;
      const from = file.design.tables.find(({ id }) => id === begins);
      const belongs = link ? [valueIs(link, key[0]!)] : link === null ? [keyIs(table, key)] : [];
      return sendPdf(call, report, {
        design: designOf(file.design, viewer),
        only: [...belongs, ...(from ? rowsThere(viewer, from) : [])],
        answers: answersOver(file.reader, file.design, keptRow(table, key), answering),
      });
    },
  });
  router.add({
    method: 'POST',
    url: `${URL}/preview`,
    answer: answers.PreparedChange,
    needs: 'colleague',
    summary: 'What a button would change if it were pressed for a row; nothing is changed',
    body: v.object({ path: Path, key: Key }),
    handler: async (call) => {
      const { context, file, viewer, params, body, gone } = call;
      const at = { button: params['button']!, path: body.path, key: keyAt(call, body.key) };
      const press = pressed(file, viewer, 'change', at);
      const { changed, found } = await prepared(context, file, viewer, press, gone);
      return {
        table: changed.id,
        fields: press.does.sets.map(({ field }) => field),
        total: found.rows.length,
        rows: found.rows.slice(0, MOST_SHOWN),
        mark: found.mark,
      };
    },
  });
  router.add({
    method: 'POST',
    url: `${URL}/run`,
    answer: answers.SavedRows,
    needs: 'colleague',
    summary: 'Make the change of a button as it was looked at: all of it or nothing',
    body: v.object({
      path: Path,
      key: Key,
      /** The change that was looked at. */
      mark: v.pipe(v.string(), v.maxLength(64)),
    }),
    handler: async (call) => {
      const { context, file, viewer, params, body, gone } = call;
      const at = { button: params['button']!, path: body.path, key: keyAt(call, body.key) };
      const { changed, found } = await prepared(
        context,
        file,
        viewer,
        pressed(file, viewer, 'change', at),
        gone,
      );
      if (found.mark !== body.mark)
        throw new Problem('document-moved', 'These rows have changed since you looked: look again.');
      if (found.changes.length === 0) throw new Problem('bad-request', 'There is nothing to change.');
      // What the builder has prepared is bound by what there is for whoever presses it, not by what the screen shows.
      const within = { rows: rowsThere(viewer, changed) };
      // It has a name, by which it is known as hers and can be taken back.
      const request = { id: randomUUID(), changes: [...found.changes] };
      return saveWithin(call, request, within);
    },
  });
}
