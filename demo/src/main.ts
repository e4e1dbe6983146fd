import { existsSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { buildApp, isDamaged, isHeld, isUnwritable, Problem } from '@heathridge/server/app';
import { readSettings } from '@heathridge/server/settings';
import { makeDemo } from './make';

const settings = readSettings(process.env);
// The built server lies in server/dist.
const root = join(dirname(fileURLToPath(import.meta.url)), '..', '..');
const pages = join(root, 'web', 'dist', 'browser');
const fresh = !existsSync(join(settings.data, 'registry.db'));

/** What keeps it from starting, for whoever looks after the server: no stack of calls. */
function unstarted(error: unknown): never {
  const { message, stack } = error as Error;
  process.stderr.write(
    isUnwritable(error)
      ? `Heathridge cannot start: ${settings.data} cannot be written to (${message}). Set HEATHRIDGE_DATA to a folder that belongs to this account.\n`
      : isHeld(error)
        ? `Heathridge cannot start: another program is using registry.db in ${settings.data}. End it, and start again.\n`
        : isDamaged(error)
          ? `Heathridge cannot start: registry.db in ${settings.data} is damaged, or no database. Put a copy of it in its place.\n`
          : error instanceof Problem
            ? `Heathridge cannot start: ${message}\n`
            : `Heathridge cannot start: ${stack ?? message}\n`,
  );
  process.exit(1);
}

const app = await buildApp({
  data: settings.data,
  pages,
  log: true,
  trustedProxies: settings.proxies,
  // Its passwords are known to everybody.
  demoOpen: settings.loopback,
  reach: { everything: settings.loopback, hosts: settings.sources },
}).catch(unstarted);
if (fresh && settings.loopback && process.env['HEATHRIDGE_DEMO'] !== 'no') {
  process.stdout.write('Making the demo file …\n');
  await makeDemo(app.context);
}
app.context.jobs.warm();
const address = await app.server.listen({ port: settings.port, host: settings.host }).catch(unstarted);
process.stdout.write(`Heathridge serves at ${address}\n`);
if (app.context.accounts.isEmpty())
  process.stdout.write('  nobody has an account yet: whoever opens it first makes the builder’s\n');
for (const { role, login, password } of app.context.accounts.demoSignIns())
  process.stdout.write(`  sign in as the demo ${role}: ${login} / ${password}\n`);

/** Milliseconds in which the server has ended, come what may. */
const LONGEST_END = 9000;

let closing = false;
for (const signal of ['SIGINT', 'SIGTERM'] as const)
  process.on(signal, () => {
    if (closing) return;
    closing = true;
    // Whatever hangs: who starts it anew is not to wait for it.
    setTimeout(() => process.exit(1), LONGEST_END).unref();
    app.close().then(
      () => process.exit(0),
      (error: Error) => {
        process.stderr.write(`${error.stack ?? error.message}\n`);
        process.exit(1);
      },
    );
  });
