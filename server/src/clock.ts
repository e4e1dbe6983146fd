import { randomBytes } from 'node:crypto';
import { inZone } from '@heathridge/core/values';

/** Time and randomness, handed in so that tests can hold them still. */
export interface Clock {
  /** `YYYY-MM-DDTHH:MM:SSZ`. */
  now(): string;
  /** `YYYY-MM-DD` by the clocks of a time zone: an office's day, wherever the server stands. */
  today(zone: string): string;
  /** A new id: the prefix, `_`, and 12 random letters and digits. */
  id(prefix: string): string;
}

/** Today in each zone, at the second in which it was last asked for. */
const days = new Map<string, { readonly now: string; readonly today: string }>();

/** The second that was last asked for, and how it is written: a busy server asks many times in each. */
let second = { of: -1, written: '' };

export const systemClock: Clock = {
  now: () => {
    const of = Math.floor(Date.now() / 1000);
    if (of !== second.of) second = { of, written: `${new Date(of * 1000).toISOString().slice(0, 19)}Z` };
    return second.written;
  },
  today: (zone) => {
    const now = systemClock.now();
    const known = days.get(zone);
    if (known?.now === now) return known.today;
    const { date } = inZone(now, zone);
    days.set(zone, { now, today: date });
    return date;
  },
  id: (prefix) => `${prefix}_${randomBytes(12).toString('base64url').replace(/[-_]/g, '0').slice(0, 12)}`,
};
