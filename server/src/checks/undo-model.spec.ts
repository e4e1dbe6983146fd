import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { AppliedDraft } from '@heathridge/core/change';
import { storedFields, type Design, type Field } from '@heathridge/core/design';
import { World, type State } from '../testing/world';
import '../testing/timeouts';

/** Undone drafts in the tests; `npm run undos` does 20,000. */
const UNDOS = Number(process.env['UNDOS'] ?? 1000);
const SEED = Number(process.env['UNDOS_SEED'] ?? 1);
/** Milliseconds that one may take on a slow machine. */
const MOST_EACH = 2000;

interface Tally {
  undone: number;
  /** Of those: after some rows were mended. */
  mended: number;
  refused: number;
  /** Of what was compared: values that nobody had written, and values that somebody had. */
  untouched: number;
  written: number;
  /** Values of rows whose key the draft or somebody since had changed. */
  rekeyed: number;
}

/**
 * Drafts made by chance, saves made by chance after them, sometimes another draft that is undone in between, and
 * then the undoing, against a model: each row has a mark by which it is found whatever becomes of its key, and
 * which of its values were written is seen by looking at all of them before and after each save.
 */
describe('undo after saves made by chance', () => {
  it(
    `brings back what nobody has written, and keeps what somebody has (${UNDOS} undone)`,
    async () => {
      const folder = mkdtempSync(join(tmpdir(), 'heathridge-undos-'));
      const tally: Tally = { undone: 0, mended: 0, refused: 0, untouched: 0, written: 0, rekeyed: 0 };
      try {
        for (let seed = SEED; tally.undone < UNDOS; seed++) {
          const place = mkdtempSync(join(folder, 'world-'));
          const world = new World(join(place, 'w.db'), join(place, 'copies'), seed, true);
          try {
            for (let i = 0; i < 8 && tally.undone < UNDOS; i++)
              if (!new Episode(world, tally, `seed ${seed}, ${i}`).play()) break;
          } finally {
            world.close();
          }
          rmSync(place, { recursive: true });
          // What the driver has opened is given back between two turns.
          await new Promise((resolve) => setImmediate(resolve));
        }
      } finally {
        rmSync(folder, { recursive: true, force: true });
      }
      if (process.env['UNDOS']) console.log(JSON.stringify(tally));
      // A model that compared nearly nothing, or an undo that refused nearly everything, would prove nothing.
      expect(tally.refused).toBeLessThan(UNDOS / 10);
      expect(Math.min(tally.untouched, tally.written, tally.rekeyed)).toBeGreaterThan(UNDOS);
    },
    UNDOS * MOST_EACH,
  );
});

/** A draft that is applied, what is done to the rows then, and its undoing. */
class Episode {
  /** The values that were written since, as `table mark field`. */
  readonly written = new Set<string>();

  constructor(
    private readonly world: World,
    private readonly tally: Tally,
    private readonly where: string,
    private readonly depth = 0,
  ) {}

  /** False when the draft stays, so that no earlier one can be undone. */
  play(): boolean {
    const { world, tally } = this;
    const before = world.state();
    const made = world.changed();
    if (!made) return true;
    const draft = new AppliedDraft(made);
    for (let saves = world.random.whole(0, 8); saves > 0; saves--) {
      if (this.depth < 2 && world.random.chance(0.15)) {
        const inner = new Episode(world, tally, `${this.where}.${saves}`, this.depth + 1);
        if (!inner.play()) return false;
        inner.written.forEach((name) => this.written.add(name));
      } else this.save();
    }
    const now = world.state();
    const context = `${this.where}: ${JSON.stringify(made.changes)}`;
    let given: { field: string; key: (string | number)[]; value: string | number | boolean | null }[] = [];
    for (let tries = 0; ; tries++) {
      const result = world.undo(given);
      if (result.done) break;
      const findings = 'findings' in result ? result.findings : null;
      // What a lookup is to lead to cannot be made up here.
      if ('message' in result && result.message.endsWith(': say what it is to hold.')) {
        expect(world.state()).withContext(context).toEqual(now);
        tally.refused++;
        return false;
      }
      expect(findings?.findings.length ?? 0)
        .withContext(`${JSON.stringify(result)}: ${context}`)
        .toBeGreaterThan(0);
      expect(world.state()).withContext(context).toEqual(now);
      if (tries === 3) {
        tally.refused++;
        return false;
      }
      const more = (findings?.findings ?? []).flatMap(({ fields, sample }) =>
        sample.flatMap(({ key }) =>
          fields.map((id) => {
            const field = fieldIn(made.before, id)!;
            return { field: id, key: [...key], value: world.given(made.before, field) };
          }),
        ),
      );
      given = [...given, ...more];
    }
    tally.undone++;
    if (given.length > 0) tally.mended++;
    const spared = new Set(given.map(({ field }) => field));
    this.compare(draft, before, now, world.state(), spared, context);
    this.given(spared, before, now);
    for (const { id, fields } of made.before.tables)
      for (const field of fields) this.spread(draft, id, field.id);
    return true;
  }

  private save(): void {
    const before = this.world.state();
    if (!this.world.save()) return;
    const after = this.world.state();
    for (const [table, rows] of after)
      for (const [mark, values] of rows)
        for (const [field, value] of values)
          if (before.get(table)?.get(mark)?.get(field) !== value)
            this.written.add(`${table} ${mark} ${field}`);
  }

  /** What was given for rows that would not fit is written, too. */
  private given(fields: ReadonlySet<string>, ...states: readonly State[]): void {
    for (const [table, rows] of this.world.state())
      for (const [mark, values] of rows)
        for (const field of fields)
          if (
            values.has(field) &&
            states.every((state) => state.get(table)?.get(mark)?.get(field) !== values.get(field))
          )
            this.written.add(`${table} ${mark} ${field}`);
  }

  /** What was written in fields that the draft had made of one was written in that one. */
  private spread(draft: AppliedDraft, table: string, field: string): void {
    const of = draft.madeOf(table, field)?.fields ?? [];
    for (const name of [...this.written]) {
      const [at, mark, id] = name.split(' ') as [string, string, string];
      if (at === table && of.includes(id)) this.written.add(`${table} ${mark} ${field}`);
    }
  }

  private compare(
    draft: AppliedDraft,
    before: State,
    now: State,
    after: State,
    spared: ReadonlySet<string>,
    context: string,
  ): void {
    for (const table of draft.before.tables) {
      const [was, is, then] = [before, now, after].map((state) => state.get(table.id));
      const dropped = is === undefined;
      expect([...then!.keys()].sort())
        .withContext(`${context}: the rows of ${table.name}`)
        .toEqual([...(dropped ? was! : is).keys()].sort());
      for (const [mark, values] of then!)
        for (const field of storedFields(table)) {
          if (spared.has(field.id)) continue;
          const expected = this.expected(
            draft,
            table.id,
            field,
            mark,
            was?.get(mark),
            is?.get(mark),
            dropped,
          );
          if (expected === undefined) continue;
          // A row that is led to may have gone since: the lookup is then not what it was.
          if (field.type.kind === 'lookup' && expected !== null)
            if (!after.get(field.type.table)?.has(String(expected))) continue;
          if (draft.movedKey(table.id)) this.tally.rekeyed++;
          expect(values.get(field.id) ?? null)
            .withContext(`${context}: ${field.id} of ${mark}`)
            .toBe(expected);
        }
    }
  }

  /** What a field of a row is to hold; undefined where the model does not say. */
  private expected(
    draft: AppliedDraft,
    table: string,
    field: Field,
    mark: string,
    was: ReadonlyMap<string, string | number | null> | undefined,
    is: ReadonlyMap<string, string | number | null> | undefined,
    dropped: boolean,
  ): string | number | null | undefined {
    if (dropped) return was!.get(field.id) ?? null;
    const made = draft.madeOf(table, field.id)?.fields;
    const touched = (made ?? [field.id]).some((id) => this.written.has(`${table} ${mark} ${id}`));
    if (was && !touched) {
      this.tally.untouched++;
      return was.get(field.id) ?? null;
    }
    const then = fieldIn(draft.after, field.id);
    if (made || !then || JSON.stringify(then.type) !== JSON.stringify(field.type)) return undefined;
    this.tally.written++;
    return is!.get(field.id) ?? null;
  }
}

const fieldIn = ({ tables }: Design, id: string): Field | undefined =>
  tables.flatMap(({ fields }) => fields).find((field) => field.id === id);
