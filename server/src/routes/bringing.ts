import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { eq } from 'drizzle-orm';
import * as v from 'valibot';
import * as answers from '@heathridge/core/api';
import type { Table } from '@heathridge/core/design';
import { planAgain, Source, sourceOf, type BringPlan } from '@heathridge/core/sheet';
import { copyName, discardCopy, MOST_TIME } from '../change/apply';
import type { Tell } from '../change/run';
import { todayIn, type Context } from '../http/context';
import { Problem } from '../problem';
import { fetchSheet } from '../sheets/fetch';
import { partsOf, type SheetInfo } from '../sheets/folder';
import { formOf, lookOf } from '../sheets/look';
import { SheetError } from '../sheets/sheet-error';
import type { Brought } from '../sheets/write';
import { pruneCopies } from '../store/copies';
import { source } from '../store/file-schema';
import { assertWritable, type OpenFile } from '../store/files';

/** Who brings in what, and into which file. */
export interface Bringer {
  readonly context: Context;
  /** The id of the file. */
  readonly file: string;
  readonly account: string;
  readonly by: string;
}

export interface Working {
  readonly signal: AbortSignal;
  readonly tell: Tell;
}

export type SheetAt = SheetInfo & { readonly folder: string };
type Written = Extract<Brought, { done: true }>;
export type SourceRun = v.InferOutput<typeof answers.SourceRun>;
export type SourceNow = v.InferOutput<typeof answers.OutsideSources>['sources'][number];

/** Fetches a sheet into a folder of its own, from which it is looked at like one that was sent. */
export async function fetchedSheet(
  { context, file, account }: Bringer,
  address: string,
  working: Working,
): Promise<SheetAt> {
  const id = context.clock.id('s');
  const folder = context.sheets.make(id, account, Date.parse(context.clock.now()));
  try {
    const { came } = partsOf(folder);
    const { name, bytes } = await fetchSheet(address, came, context.reach, working);
    const info = { id, file, account, name, form: formOf(came, name), bytes, address };
    context.sheets.keep(info);
    return { ...info, folder };
  } catch (error) {
    context.sheets.remove(id);
    throw error instanceof SheetError ? new Problem('sheet-refused', error.message) : error;
  }
}

/** Writes what was staged of a sheet into the file, and tells everybody. */
export async function broughtIn(
  { context, file: id, account, by }: Bringer,
  { folder, name }: SheetAt,
  working: Working,
): Promise<Brought> {
  const { files, clock, jobs, news } = context;
  const file = files.get(id);
  const copy = copyName(clock);
  const order = {
    folder,
    name,
    base: file.design.version,
    by,
    now: clock.now(),
    today: todayIn(context, file),
    copies: file.copies,
    copy,
  };
  const result = await files.whileChanging(id, () =>
    jobs
      .run(file.path, { task: 'bring', order }, { ...working, limit: MOST_TIME })
      .catch((error: unknown) => {
        discardCopy(join(file.copies, copy));
        throw error;
      }),
  );
  if (!result.done) return result;
  pruneCopies(file.copies, clock.now());
  const design = files.reload(id);
  const parents = tableIn(design.tables, result.table).fields.flatMap(({ type }) =>
    type.kind === 'lookup' ? [type.table] : [],
  );
  news.tell(id, {
    account,
    by,
    entry: result.entry,
    tables: [...new Set([result.table, ...parents])].map((table) => ({ table, changed: null })),
    design: result.isNew,
  });
  return result;
}

const tableIn = (tables: readonly Table[], id: string): Table => tables.find((table) => table.id === id)!;

/** What checking has left beside the rows that it staged. */
interface Staged {
  readonly plan: BringPlan;
  readonly same: number;
  readonly bad: number;
  readonly kept: number;
}

/** Keeps from where a table's rows came, where they are to be fetched again. */
export function keepSource(bringer: Bringer, { folder, address }: SheetAt, written: Written): void {
  const { context, by } = bringer;
  const { plan, bad, kept } = JSON.parse(readFileSync(partsOf(folder).plan, 'utf8')) as Staged;
  if (address === null || !plan.again) return;
  const file = context.files.get(bringer.file);
  const table = tableIn(file.design.tables, written.table);
  const headings = lookOf(folder)!.columns.map(({ heading }) => heading);
  const { added, changed, deleted } = written;
  const told: SourceRun = { added, changed, deleted, kept, bad, why: '', problem: null };
  const values = {
    table: table.id,
    address,
    plan: JSON.stringify(sourceOf(plan, plan.again, table, headings)),
    by,
    at: context.clock.now(),
    told: JSON.stringify(told),
  };
  file.orm.insert(source).values(values).onConflictDoUpdate({ target: source.table, set: values }).run();
}

const Kept = v.pipe(v.string(), v.parseJson(), Source);
const Told = v.pipe(v.string(), v.parseJson(), answers.SourceRun);

/** The sources of a file whose tables are there. Another tool may have written anything there. */
export const sourcesIn = (file: OpenFile): SourceNow[] =>
  file.orm
    .select()
    .from(source)
    .all()
    .flatMap(({ table, address, plan, by, at, told }) => {
      const [kept, run] = [v.safeParse(Kept, plan), v.safeParse(Told, told)];
      const isThere = file.design.tables.some(({ id }) => id === table);
      return isThere && kept.success && run.success
        ? [{ table, address, again: kept.output.again, by, at, told: run.output }]
        : [];
    });

/** Fetches the rows of a table from its source once more; what came of it is kept, also where nothing came. */
export async function fetchAgain(
  bringer: Bringer,
  id: string,
  working: Working,
): Promise<{ readonly entry: number | null; readonly told: SourceRun }> {
  const { context } = bringer;
  const file = context.files.get(bringer.file);
  assertWritable(file);
  const known = file.orm.select().from(source).where(eq(source.table, id)).get();
  const kept = known && v.safeParse(Kept, known.plan);
  if (!known || !kept?.success)
    throw new Problem('not-found', 'The rows of this table do not come from outside any more.');
  const note = (told: SourceRun): void => {
    const set = { at: context.clock.now(), told: JSON.stringify(told) };
    file.orm.update(source).set(set).where(eq(source.table, id)).run();
  };
  try {
    const came = await cameAgain(bringer, id, { address: known.address, plan: kept.output }, working);
    note(came.told);
    return came;
  } catch (error) {
    // Who stops it knows that it was stopped.
    if (error instanceof Problem && error.type !== 'stopped')
      note({ ...NOTHING_CAME, problem: error.detail });
    throw error;
  }
}

const NOTHING_CAME: SourceRun = { added: 0, changed: 0, deleted: 0, kept: 0, bad: 0, why: '', problem: null };

async function cameAgain(
  bringer: Bringer,
  id: string,
  { address, plan: kept }: { readonly address: string; readonly plan: Source },
  working: Working,
): Promise<{ readonly entry: number | null; readonly told: SourceRun }> {
  const { context, by } = bringer;
  const { jobs, clock, sheets } = context;
  const sheet = await fetchedSheet(bringer, address, working);
  try {
    const file = context.files.get(bringer.file);
    const { design, path } = file;
    const options = { ...working, limit: MOST_TIME };
    const { folder, name, form, bytes } = sheet;
    const look = await jobs.run(
      path,
      { task: 'look', design, order: { folder, name, form, bytes, style: kept.style } },
      options,
    );
    const table = design.tables.find((candidate) => candidate.id === id);
    if (!table) throw new Problem('not-found', 'This table is no longer there.');
    const headings = look.columns.map(({ heading }) => heading);
    const plan = planAgain(kept, table, headings, look.style);
    if (typeof plan === 'string') throw new Problem('sheet-refused', plan);
    const order = { folder, plan, today: todayIn(context, file), now: clock.now(), by };
    const staged = await jobs.run(path, { task: 'stage', design, order }, options);
    const [first] = staged.problems;
    const told: SourceRun = {
      ...NOTHING_CAME,
      kept: staged.gone.kept,
      bad: staged.bad,
      why: first ? first.reason : staged.gone.why,
    };
    if (staged.added + staged.changed + staged.gone.deleted === 0) return { entry: null, told };
    const brought = await broughtIn(bringer, sheet, working);
    if (!brought.done) {
      const [refused] = brought.problems;
      throw new Problem(
        'sheet-refused',
        `Nothing was written: the file refused a row. ${refused?.reason ?? ''}`.trim(),
      );
    }
    const { entry, added, changed, deleted } = brought;
    // Rows that the file held on to stay as well.
    const held = staged.gone.deleted - deleted;
    return { entry, told: { ...told, added, changed, deleted, kept: told.kept + held } };
  } finally {
    sheets.remove(sheet.id);
  }
}
