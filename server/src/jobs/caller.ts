import { AsyncLocalStorage } from 'node:async_hooks';

/** For whom something is done, as far as it goes: the account that called; nothing for the server itself. */
export const caller = new AsyncLocalStorage<string>();
