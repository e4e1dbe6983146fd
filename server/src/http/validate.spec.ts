import fc from 'fast-check';
import * as v from 'valibot';
import { SaveRequest } from '@heathridge/core/rows';
import { Problem } from '../problem';
import { valid, validInTurns } from './validate';

type Outcome = { readonly value: unknown } | { readonly told: string; readonly places: readonly string[] };

const outcomeOf = (error: unknown): Outcome => {
  if (!(error instanceof Problem)) throw error;
  const issues = error.extras.issues ?? [];
  return { told: error.message, places: issues.map(({ path }) => path) };
};

const atOnce = (schema: v.GenericSchema, value: unknown): Outcome => {
  try {
    return { value: valid(schema, value) };
  } catch (error) {
    return outcomeOf(error);
  }
};

const inTurns = (schema: v.GenericSchema, value: unknown): Promise<Outcome> =>
  validInTurns(schema, value).then((read) => ({ value: read }), outcomeOf);

const change = (i: number): Record<string, unknown> => ({
  op: 'insert',
  table: 't_hire',
  values: { f_hirePlayer: i, f_hireNote: `Note ${i}` },
  temp: `h${i}`,
});

describe('what a request sends', () => {
  const Pasted = v.pipe(
    v.object({
      fields: v.pipe(v.array(v.string()), v.maxLength(3)),
      cells: v.pipe(
        v.array(v.pipe(v.array(v.string()), v.maxLength(4))),
        v.maxLength(60, 'At most 60 rows.'),
        v.transform((rows) => rows.map((row) => row.join('|'))),
      ),
      within: v.optional(v.object({ keys: v.pipe(v.array(v.number()), v.maxLength(50)) })),
    }),
    v.check(({ fields, cells }) => cells.every((row) => row.split('|').length <= fields.length), 'Too wide.'),
  );

  it('is the same, or refused in the same words, whether it is read at once or in turns', async () => {
    const cell = fc.oneof(
      { weight: 40, arbitrary: fc.constantFrom('a', 'b') },
      fc.constantFrom(1, null, Infinity),
    );
    const row = fc.oneof({ weight: 300, arbitrary: fc.array(cell, { maxLength: 3 }) }, fc.anything());
    const sent = fc.record(
      {
        fields: fc.oneof(
          { weight: 9, arbitrary: fc.array(fc.constant('f'), { minLength: 2, maxLength: 4 }) },
          fc.anything(),
        ),
        cells: fc.oneof({ weight: 9, arbitrary: fc.array(row, { maxLength: 70 }) }, fc.anything()),
        within: fc.record({
          keys: fc.array(fc.oneof({ weight: 99, arbitrary: fc.nat() }, fc.constant(null)), {
            maxLength: 60,
          }),
        }),
        more: fc.anything(),
      },
      { requiredKeys: ['fields', 'cells'] },
    );
    let [taken, refused] = [0, 0];
    await fc.assert(
      fc.asyncProperty(fc.oneof({ weight: 20, arbitrary: sent }, fc.anything()), async (value) => {
        const [once, turns] = [atOnce(Pasted, value), await inTurns(Pasted, value)];
        if ('value' in once) {
          taken++;
          expect(turns).toEqual(once);
          return;
        }
        refused++;
        // Of several lists only the first that is wrong is told.
        if ('value' in turns) fail(`taken: ${JSON.stringify(value)}`);
        else
          for (const place of turns.places)
            expect(once.places.length === 20 || once.places.includes(place)).toBeTrue();
      }),
      { numRuns: 500, seed: 20261130 },
    );
    expect(taken).toBeGreaterThan(50);
    expect(refused).toBeGreaterThan(50);
  });

  it('is held to all steps of a pipe, and of the pipe that it begins with', async () => {
    const Short = v.pipe(v.array(v.string()), v.maxLength(30, 'At most 30.'));
    const Within = v.object({ items: v.pipe(Short, v.minLength(25, 'At least 25.')) });
    const Twice = v.pipe(
      v.pipe(
        Within,
        v.check(({ items }) => items[0] !== 'b', 'No b.'),
      ),
      v.check(({ items }) => items[0] !== 'c', 'No c.'),
    );
    for (const [schema, many, first, told] of [
      [Within, 31, 'a', 'items: At most 30.'],
      [Within, 24, 'a', 'items: At least 25.'],
      [Twice, 31, 'a', 'items: At most 30.'],
      [Twice, 27, 'b', 'No b.'],
      [Twice, 27, 'c', 'No c.'],
    ] as const) {
      const value = { items: Array.from({ length: many }, () => first) };
      expect(await inTurns(schema, value)).toEqual(atOnce(schema, value));
      expect(await inTurns(schema, value)).toEqual(jasmine.objectContaining({ told }));
    }
  });

  it('says where the items of a long list are wrong', async () => {
    const changes = Array.from({ length: 5000 }, (_, i) => change(i));
    changes[4000] = { ...change(4000), op: 'none' };
    changes[4001] = { ...change(4001), table: 5 };
    const [once, turns] = [atOnce(SaveRequest, { changes }), await inTurns(SaveRequest, { changes })];
    expect(turns).toEqual(once);
    expect((turns as { readonly places: readonly string[] }).places).toEqual([
      'changes.4000.op',
      'changes.4001.table',
    ]);
    const many = Array.from({ length: 5001 }, (_, i) => change(i));
    expect(await inTurns(SaveRequest, { changes: many })).toEqual(atOnce(SaveRequest, { changes: many }));
  });

  it('is gone through with turns for others in between', async () => {
    const List = v.object({
      items: v.array(
        v.pipe(
          v.string(),
          v.check(() => spend(1)),
        ),
      ),
    });
    let turns = 0;
    let on = true;
    const count = (): void => {
      turns++;
      if (on) setImmediate(count);
    };
    setImmediate(count);
    await validInTurns(List, { items: Array.from({ length: 200 }, () => 'x') });
    on = false;
    // 200 ms of work, and nobody waits for more than some ten of them.
    expect(turns).toBeGreaterThan(5);
  });
});

/** Works for some milliseconds. */
function spend(milliseconds: number): true {
  for (const end = performance.now() + milliseconds; performance.now() < end;);
  return true;
}
