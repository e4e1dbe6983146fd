import { resolve } from 'node:path';

export interface Settings {
  readonly port: number;
  readonly host: string;
  /** The folder of the registry, the database files and their safe copies. */
  readonly data: string;
  /** Proxies in front, by address or network: only theirs is the word on who calls, and whether over HTTPS. */
  readonly proxies: readonly string[];
  /** Hosts in its own network, with a port or without, from which rows may be fetched. */
  readonly sources: readonly string[];
  /** Whether only this machine can reach it. */
  readonly loopback: boolean;
}

/** Reads the settings from the environment. Throws an Error for a port that is none. */
export function readSettings(env: Readonly<Record<string, string | undefined>>): Settings {
  const port = Number(env['PORT'] ?? 4747);
  if (!Number.isInteger(port) || port < 0 || port > 65535)
    throw new Error(`PORT must be a number from 0 to 65535, not “${env['PORT']}”.`);
  const host = env['HOST'] ?? '127.0.0.1';
  const listed = (text = ''): string[] => text.split(/[\s,]+/).filter((one) => one !== '');
  const proxies = listed(env['HEATHRIDGE_PROXY']);
  return {
    port,
    host,
    data: resolve(env['HEATHRIDGE_DATA'] ?? './data'),
    proxies,
    sources: listed(env['HEATHRIDGE_SOURCES']).map((host) => host.toLowerCase()),
    // Behind a proxy everybody comes from this machine.
    loopback: proxies.length === 0 && /^(127(\.\d+){3}|::1|\[::1\]|localhost)$/.test(host),
  };
}
