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

export const systemClock: Clock = {
  now: () => `${new Date().toISOString().slice(0, 19)}Z`,
  today: (zone) => inZone(systemClock.now(), zone).date,
  id: (prefix) => `${prefix}_${randomBytes(12).toString('base64url').replace(/[-_]/g, '0').slice(0, 12)}`,
};
