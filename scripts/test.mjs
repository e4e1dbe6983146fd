// npm test: sets everything up, then lint, types, unit tests and end-to-end tests. The last line says how
// many passed and failed; a step such as lint counts as one test.
import { spawn } from 'node:child_process';
import { buildServer, buildWeb, install, root, systemPackages } from './setup.mjs';

install();
systemPackages();

let passed = 0;
let failed = 0;
const failures = [];
/** Enough for a few failures with their stacks; the last line of all has to stay in sight. */
const MOST_LINES = 100;

/** Runs a command, passing its output on; resolves with its exit code and what it printed. */
function step(command, args, options = {}) {
  return new Promise((resolve) => {
    const child = spawn(command, args, {
      cwd: root,
      stdio: ['ignore', 'pipe', 'pipe'],
      ...options,
      env: { ...process.env, ...options.env },
    });
    let text = '';
    const take = (stream) => (chunk) => {
      text += chunk;
      stream.write(chunk);
    };
    child.stdout.on('data', take(process.stdout));
    child.stderr.on('data', take(process.stderr));
    child.once('error', (error) => resolve({ code: 1, text: `${text}${error.message}` }));
    child.once('exit', (code) => resolve({ code: code ?? 1, text }));
  });
}

function count(name, ok, good, bad, text) {
  passed += good;
  failed += bad;
  if (!ok || bad > 0) {
    failures.push({ name, text: reasons(text) });
    // A suite that fell over before it could count is a failure all the same.
    if (bad === 0) failed++;
  }
}

async function single(name, command, args) {
  process.stdout.write(`\n== ${name}\n`);
  const { code, text } = await step(command, args);
  count(name, code === 0, code === 0 ? 1 : 0, code === 0 ? 0 : 1, text);
}

/** A suite whose output says `N passed, N failed`, or Jasmine's `N specs, N failures`. */
async function suite(name, command, args, options) {
  process.stdout.write(`\n== ${name}\n`);
  const { code, text } = await step(command, args, options);
  const own = [...text.matchAll(/(\d+) passed, (\d+) failed/g)].at(-1);
  const jasmine = [...text.matchAll(/(\d+) specs?, (\d+) failures?/g)].at(-1);
  const good = own ? Number(own[1]) : jasmine ? Number(jasmine[1]) - Number(jasmine[2]) : 0;
  const bad = own ? Number(own[2]) : jasmine ? Number(jasmine[2]) : 0;
  count(name, code === 0 && good > 0, good, bad, text);
}

/**
 * What a step says of what failed: its lines from `Failures:` on (Jasmine and the reporters head them so), or else its
 * last ones. They are said once more at the very end, since the middle of a long output is easily lost.
 */
function reasons(text) {
  const at = text.lastIndexOf('\nFailures:\n');
  const lines = text
    .slice(at + 1)
    .trimEnd()
    .split('\n');
  return (at < 0 ? lines.slice(-MOST_LINES) : lines.slice(0, MOST_LINES)).join('\n');
}

await single('lint', 'npx', ['eslint', '.']);
await single('format', 'npx', ['prettier', '--check', '--log-level', 'warn', '.']);
await single('unused code', 'npx', ['knip']);
for (const [name, project] of [
  ['types of the core', 'core'],
  ['types of the server', 'server'],
  ['types of the web', 'web/tsconfig.spec.json'],
  ['types of the end-to-end tests', 'e2e'],
])
  await single(name, 'npx', ['tsc', '--noEmit', '-p', project]);
await suite('core and web in the browser', 'npx', ['ng', 'test', '--no-progress'], {
  cwd: `${root}/web`,
  env: { NG_CLI_ANALYTICS: 'false' },
});
await suite(
  'server on Node.js',
  process.execPath,
  ['--expose-gc', '--import', 'tsx', 'node_modules/jasmine/bin/jasmine.js', '--config=server/jasmine.json'],
  {
    env: { TSX_TSCONFIG_PATH: 'server/tsconfig.json' },
  },
);
await buildServer();
buildWeb();
await suite('the application, end to end', 'npx', ['playwright', 'test', '-c', 'e2e']);

if (failures.length > 0) {
  for (const { name, text } of failures) process.stdout.write(`\n== failed: ${name}\n${text}\n`);
  process.stdout.write(`\nFailed: ${failures.map(({ name }) => name).join('; ')}\n`);
}
process.stdout.write(`\n${passed} passed, ${failed} failed\n`);
process.exitCode = failed > 0 ? 1 : 0;
