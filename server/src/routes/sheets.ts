import { createReadStream, existsSync } from 'node:fs';
import { eq } from 'drizzle-orm';
import * as v from 'valibot';
import * as answers from '@heathridge/core/api';
import { fieldOf, Id } from '@heathridge/core/design';
import { NOTHING, RowsAsked } from '@heathridge/core/rows';
import { Address, BringPlan, Remembered, SheetStyle } from '@heathridge/core/sheet';
import { MOST_TIME } from '../change/apply';
import { todayIn } from '../http/context';
import { receiveBody, SHEET } from '../http/receive';
import { madeAt, sendOut } from '../http/send';
import type { Call, Router } from '../http/routes';
import { watched, Watch } from '../http/watched';
import { Problem } from '../problem';
import { partsOf, type SheetInfo } from '../sheets/folder';
import { formOf, type Look } from '../sheets/look';
import { OUT_FORMS } from '../sheets/take-out';
import { broughtIn, fetchedSheet, keepSource, type Bringer } from './bringing';
import { checkAsked, tableAt } from './rows';
import { SheetError } from '../sheets/sheet-error';
import { bringing } from '../store/file-schema';
import type { OpenFile } from '../store/files';
import { counts } from '../store/counts';

const OUT_TYPES = {
  csv: 'text/csv; charset=utf-8',
  json: 'application/json; charset=utf-8',
  xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
} as const;

/** What is asked of the rows that are taken out. */
const Window = v.object({
  sort: v.optional(v.pipe(v.array(v.object({ field: Id, descending: v.boolean() })), v.maxLength(5)), []),
  ...RowsAsked.entries,
});

/** Bytes of a sheet. */
const MOST_SHEET = 512 * 1024 * 1024;
const Name = v.pipe(v.string(), v.trim(), v.minLength(1), v.maxLength(300));

type SheetCall = Pick<Call, 'context' | 'params' | 'person'>;

/** Who brings in what, and into which file. */
const bringer = ({ context, params, person }: SheetCall): Bringer => ({
  context,
  file: params['file']!,
  account: person.id,
  by: person.name,
});

function sheetOf({ context, params, person }: SheetCall): SheetInfo & { readonly folder: string } {
  const found = context.sheets.find(params['sheet']!, params['file']!, person.id);
  if (!found) throw new Problem('not-found', 'This sheet is no longer kept: choose it again.');
  return found;
}

/** How sheets with these headings came into the tables of the file before, the last first. */
function rememberedFor(
  file: OpenFile,
  { columns }: Look,
): answers.Answer<typeof answers.SheetLook>['remembered'] {
  const headings = JSON.stringify(columns.map(({ heading }) => heading));
  return file.orm
    .select()
    .from(bringing)
    .where(eq(bringing.headings, headings))
    .all()
    .sort((a, b) => b.at.localeCompare(a.at))
    .flatMap(({ table, plan }) => {
      const read = v.safeParse(Remembered, JSON.parse(plan));
      return read.success && file.design.tables.some(({ id }) => id === table)
        ? [{ table, plan: read.output }]
        : [];
    });
}

/** What is being done with each sheet: something new ends it, since both would write to the same places. */
class Turns {
  private readonly running = new Map<
    string,
    { readonly stop: AbortController; readonly done: Promise<unknown> }
  >();

  async take<T>(id: string, gone: AbortSignal, work: (signal: AbortSignal) => Promise<T>): Promise<T> {
    for (let before = this.running.get(id); before; before = this.running.get(id)) {
      before.stop.abort();
      // How it ended is told to whoever asked for it.
      await before.done.catch(() => undefined);
    }
    const stop = new AbortController();
    const done = work(AbortSignal.any([gone, stop.signal]));
    const own = { stop, done };
    this.running.set(id, own);
    try {
      return await done;
    } finally {
      if (this.running.get(id) === own) this.running.delete(id);
    }
  }
}

export function sheetRoutes(router: Router): void {
  const turns = new Turns();
  const look = (
    call: SheetCall & Pick<Call, 'file' | 'gone'>,
    info: SheetInfo & { folder: string },
    style: Partial<SheetStyle>,
    watch: string | undefined,
  ) =>
    watched(call, watch, async ({ tell, signal }) => {
      const { folder, name, form, bytes, address } = info;
      const order = { folder, name, form, bytes, style };
      const { file, context } = call;
      const looked = await turns.take(info.id, signal, (ended) =>
        context.jobs.run(
          file.path,
          { task: 'look', design: file.design, order },
          { signal: ended, tell, limit: MOST_TIME },
        ),
      );
      return {
        sheet: { id: info.id, name, form, bytes, address },
        look: looked,
        remembered: rememberedFor(file, looked),
      };
    });

  router.add({
    method: 'POST',
    url: '/api/files/:file/sheets',
    answer: answers.SheetLook,
    needs: 'builder',
    summary: 'Send a sheet that is to be brought in: its bytes are the body, as application/x-sheet',
    query: v.object({ name: Name, watch: Watch }),
    handler: async (call) => {
      const { context, params, person, query, request } = call;
      const id = context.clock.id('s');
      const folder = context.sheets.make(id, person.id, Date.parse(context.clock.now()));
      try {
        const { came } = partsOf(folder);
        const bytes = await receiveBody(request.body, came, SHEET, MOST_SHEET);
        const form = formOf(came, query.name);
        const info = {
          id,
          file: params['file']!,
          account: person.id,
          name: query.name,
          form,
          bytes,
          address: null,
        };
        context.sheets.keep(info);
        return await look(call, { ...info, folder }, {}, query.watch);
      } catch (error) {
        context.sheets.remove(id);
        throw error instanceof SheetError ? new Problem('sheet-refused', error.message) : error;
      }
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/sheets/fetch',
    answer: answers.SheetLook,
    needs: 'builder',
    summary: 'Fetch a sheet that is to be brought in from an address: CSV, JSON or XLSX',
    body: v.object({ address: Address, watch: Watch }),
    handler: async (call) => {
      const { context, body } = call;
      const info = await watched(call, body.watch, (options) =>
        fetchedSheet(bringer(call), body.address, options),
      );
      try {
        return await look(call, info, {}, body.watch);
      } catch (error) {
        context.sheets.remove(info.id);
        throw error;
      }
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/sheets/:sheet/look',
    answer: answers.SheetLook,
    needs: 'builder',
    summary: 'Look at a sheet again, read in another way',
    body: v.object({ style: v.partial(SheetStyle), watch: Watch }),
    handler: (call) => look(call, sheetOf(call), call.body.style, call.body.watch),
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/sheets/:sheet/check',
    answer: answers.CheckedSheet,
    needs: 'builder',
    summary: 'Check every row of a sheet by a plan; nothing of the file is changed',
    body: v.object({ plan: BringPlan, watch: Watch }),
    handler: (call) => {
      const { context, file, person, body } = call;
      const { folder, id } = sheetOf(call);
      const order = {
        folder,
        plan: body.plan,
        today: todayIn(context, file),
        now: context.clock.now(),
        by: person.name,
      };
      return watched(call, body.watch, ({ tell, signal }) =>
        turns.take(id, signal, (ended) =>
          context.jobs.run(
            file.path,
            { task: 'stage', design: file.design, order },
            { signal: ended, tell, limit: MOST_TIME },
          ),
        ),
      );
    },
  });
  router.add({
    method: 'GET',
    url: '/api/files/:file/sheets/:sheet/not-taken.csv',
    needs: 'builder',
    summary: 'The rows of a sheet that are not taken, with the reasons, to be mended',
    handler: (call) => {
      const { folder, name } = sheetOf(call);
      const { bad } = partsOf(folder);
      if (!existsSync(bad)) throw new Problem('not-found', 'This sheet has not been checked yet.');
      const called = `${name.replace(/\.\w+$/, '')} not taken.csv`;
      return call.reply
        .type('text/csv; charset=utf-8')
        .header('content-disposition', `attachment; filename*=UTF-8''${encodeURIComponent(called)}`)
        .send(createReadStream(bad));
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/sheets/:sheet/bring',
    answer: answers.BroughtSheet,
    needs: 'builder',
    summary: 'Write the good rows of a sheet as it was checked: all of them, or none',
    body: v.object({ watch: Watch }),
    handler: (call) => {
      const { context, params, body } = call;
      const info = sheetOf(call);
      return watched(call, body.watch, async ({ tell, signal }) => {
        const result = await turns.take(info.id, signal, (ended) =>
          broughtIn(bringer(call), info, { signal: ended, tell }),
        );
        if (!result.done) return result;
        keepSource(bringer(call), info, result);
        context.sheets.remove(info.id);
        const { isNew, ...rest } = result;
        const file = context.files.get(params['file']!);
        const { design } = file;
        return { ...rest, made: isNew ? design.version : null, design, counts: counts(file) };
      });
    },
  });
  router.add({
    method: 'POST',
    url: '/api/files/:file/tables/:table/out',
    needs: 'builder',
    summary: 'The rows that are asked for, as a sheet: CSV, XLSX or JSON',
    body: v.object({
      form: v.picklist(OUT_FORMS),
      fields: v.pipe(v.array(Id), v.minLength(1), v.maxLength(300)),
      ...Window.entries,
      watch: Watch,
    }),
    handler: async (call) => {
      const { context, file, params, body, reply } = call;
      const table = tableAt(file, params['table']!);
      if (body.fields.some((id) => !fieldOf(table, id)))
        throw new Problem('bad-request', 'A field of this sheet is no longer there.');
      checkAsked(file, table, body);
      const { form, fields, sort, search, conditions } = body;
      const path = context.sheets.placeFor(context.clock.id('s'), form);
      const asked = { search, conditions, today: todayIn(context, file) };
      const order = { form, tables: [{ table: table.id, fields, asked, sort }], whole: false, path };
      await madeAt(path, () =>
        watched(call, body.watch, (options) =>
          context.jobs.run(
            file.path,
            { task: 'take out', design: file.design, order },
            { ...options, limit: MOST_TIME },
          ),
        ),
      );
      return sendOut(reply, path, OUT_TYPES[form], `${table.plural}.${form}`);
    },
  });
  router.add({
    method: 'GET',
    url: '/api/files/:file/whole/:form',
    needs: 'builder',
    summary: 'All rows of all tables: a workbook with a sheet for each (xlsx), or an object of arrays (json)',
    handler: async (call) => {
      const { context, file, params, reply, gone } = call;
      const form = v.safeParse(v.picklist(['xlsx', 'json']), params['form']);
      if (!form.success) throw new Problem('not-found', 'A whole file is had as xlsx or json.');
      const path = context.sheets.placeFor(context.clock.id('s'), form.output);
      const tables = file.design.tables.map(({ id, fields }) => ({
        table: id,
        fields: fields.map((field) => field.id),
        asked: NOTHING,
        sort: [],
      }));
      const order = { form: form.output, tables, whole: true, path };
      const task = { task: 'take out', design: file.design, order } as const;
      await madeAt(path, () => context.jobs.run(file.path, task, { signal: gone, limit: MOST_TIME }));
      const name = context.files.name(params['file']!);
      return sendOut(reply, path, OUT_TYPES[form.output], `${name}.${form.output}`);
    },
  });
  router.add({
    method: 'DELETE',
    url: '/api/files/:file/sheets/:sheet',
    answer: answers.Gone,
    needs: 'builder',
    summary: 'Throw a sheet away that is not to be brought in',
    handler: async (call) => {
      const { id } = sheetOf(call);
      await turns.take(id, call.gone, () => Promise.resolve(call.context.sheets.remove(id)));
      return { gone: true as const };
    },
  });
}
