/** A stream of numbers in [0, 1) from a seed: mulberry32 (T. Ettinger, public domain), from memory. */
export function random(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let t = Math.imul(state ^ (state >>> 15), state | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 2 ** 32;
  };
}

export interface Dice {
  /** A whole number from `least` to `most`, both included. */
  whole(least: number, most: number): number;
  pick<T>(list: readonly T[]): T;
  /** True in `share` of the cases. */
  chance(share: number): boolean;
}

export function dice(seed: number): Dice {
  const next = random(seed);
  const whole = (least: number, most: number): number => least + Math.floor(next() * (most - least + 1));
  return { whole, pick: (list) => list[whole(0, list.length - 1)]!, chance: (share) => next() < share };
}
