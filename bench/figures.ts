/** What the application takes for something, and what it is held against takes, in milliseconds. */
export interface Figure {
  readonly what: string;
  readonly against: string;
  readonly ours: number;
  readonly theirs: number;
}

const ROUNDS = 15;
/** Rounds from which on a call is short. */
const MANY_ROUNDS = 100;

/**
 * Milliseconds of the middle of several runs of both, turn by turn, so that whatever else the machine does
 * falls on both alike; the first ones are not counted. Work that gives a number has taken so many milliseconds: what
 * it had to make ready first is no part of the figure.
 */
export async function medians(
  ours: () => unknown,
  theirs: () => unknown,
  rounds = ROUNDS,
): Promise<{ ours: number; theirs: number }> {
  const times: { ours: number[]; theirs: number[] } = { ours: [], theirs: [] };
  const run = async (work: () => unknown): Promise<number> => {
    const start = performance.now();
    const own = await work();
    return typeof own === 'number' ? own : performance.now() - start;
  };
  // A server in use is warm: short calls are made often enough first for the engine to have compiled them.
  const warm = rounds >= MANY_ROUNDS ? 1500 : 1;
  for (let i = 0; i < warm + rounds; i++) {
    const [first, second] = [await run(ours), await run(theirs)];
    if (i < warm) continue;
    times.ours.push(first);
    times.theirs.push(second);
  }
  const middle = (list: number[]): number => list.sort((x, y) => x - y)[Math.floor(list.length / 2)]!;
  return { ours: middle(times.ours), theirs: middle(times.theirs) };
}
