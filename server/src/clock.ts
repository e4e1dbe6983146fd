import { randomBytes } from 'node:crypto';

/** Time and randomness, handed in so that tests can hold them still. */
export interface Clock {
  /** `YYYY-MM-DDTHH:MM:SSZ`. */
  now(): string;
  /** `YYYY-MM-DD` where the server stands. */
  today(): string;
  /** A new id: the prefix, `_`, and 12 random letters and digits. */
  id(prefix: string): string;
}

const pad = (n: number): string => String(n).padStart(2, '0');

export const systemClock: Clock = {
  now: () => `${new Date().toISOString().slice(0, 19)}Z`,
  today: () => {
    const date = new Date();
    return `${date.getFullYear()}-${pad(date.getMonth() + 1)}-${pad(date.getDate())}`;
  },
  id: (prefix) => `${prefix}_${randomBytes(12).toString('base64url').replace(/[-_]/g, '0').slice(0, 12)}`,
};
