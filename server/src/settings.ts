import { resolve } from 'node:path';

export interface Settings {
  readonly port: number;
  readonly host: string;
  /** The folder of the registry, the database files and their safe copies. */
  readonly data: string;
}

/** Reads the settings from the environment. Throws an Error for a port that is none. */
export function readSettings(env: Readonly<Record<string, string | undefined>>): Settings {
  const port = Number(env['PORT'] ?? 4747);
  if (!Number.isInteger(port) || port < 0 || port > 65535)
    throw new Error(`PORT must be a number from 0 to 65535, not “${env['PORT']}”.`);
  return { port, host: env['HOST'] ?? '127.0.0.1', data: resolve(env['HEATHRIDGE_DATA'] ?? './data') };
}
