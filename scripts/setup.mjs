// What every command needs first: packages installed, sources built, system packages there. Each step
// is left out when it has nothing to do, so that a second start is quick.
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { dirname, join, relative } from 'node:path';
import { fileURLToPath } from 'node:url';

/** Found from wherever this stands: the bench carries it along in its bundle. */
export const root = (() => {
  let folder = dirname(fileURLToPath(import.meta.url));
  while (!existsSync(join(folder, 'package-lock.json'))) folder = dirname(folder);
  return folder;
})();

export function run(command, args, options = {}) {
  const { status, error } = spawnSync(command, args, { cwd: root, stdio: 'inherit', ...options });
  if (error) throw error;
  return status ?? 1;
}

export function must(command, args, options) {
  const status = run(command, args, options);
  if (status !== 0) {
    process.stderr.write(`\n“${command} ${args.join(' ')}” ended with ${status}.\n`);
    process.exit(status);
  }
}

const stampFile = (name) => join(root, 'node_modules', '.heathridge', name);
const readStamp = (name) => (existsSync(stampFile(name)) ? readFileSync(stampFile(name), 'utf8') : '');

function writeStamp(name, text) {
  mkdirSync(dirname(stampFile(name)), { recursive: true });
  writeFileSync(stampFile(name), text);
}

/** A digest of the names, sizes and times of all files below some folders. */
function digest(paths) {
  const hash = createHash('sha256');
  const visit = (path) => {
    const stat = statSync(path, { throwIfNoEntry: false });
    if (!stat) return;
    if (!stat.isDirectory()) hash.update(`${relative(root, path)} ${stat.size} ${stat.mtimeMs}\n`);
    else
      for (const name of readdirSync(path).sort())
        if (!['node_modules', 'dist', '.angular'].includes(name)) visit(join(path, name));
  };
  paths.forEach((path) => visit(join(root, path)));
  return hash.digest('hex');
}

export function install() {
  const lock = createHash('sha256')
    .update(readFileSync(join(root, 'package-lock.json')))
    .digest('hex');
  if (readStamp('install') === lock) return;
  process.stdout.write('Installing packages …\n');
  must('npm', ['ci', '--no-audit', '--no-fund', '--loglevel=error']);
  writeStamp('install', lock);
}

export async function buildServer() {
  const now = digest(['core/src', 'server/src', 'demo/src', 'package-lock.json', 'scripts/setup.mjs']);
  if (readStamp('server') === now && existsSync(join(root, 'server/dist/main.js'))) return;
  await bundle({ main: 'demo/src/main.ts', child: 'server/src/jobs/child.ts' }, 'server/dist');
  writeStamp('server', now);
}

/** The bench, with the server in it: what is measured is built like what is used. */
export const buildBench = () =>
  bundle(
    {
      run: 'bench/run.ts',
      sender: 'bench/sender.ts',
      typists: 'bench/typists.ts',
      asker: 'bench/asker.ts',
      child: 'server/src/jobs/child.ts',
    },
    'server/dist/bench',
  );

async function bundle(entryPoints, outdir) {
  const { build } = await import('esbuild');
  await build({
    absWorkingDir: root,
    entryPoints,
    outdir,
    bundle: true,
    splitting: true,
    format: 'esm',
    platform: 'node',
    target: 'node20',
    packages: 'external',
    tsconfig: 'tsconfig.base.json',
    sourcemap: true,
    logLevel: 'warning',
  });
}

export function buildWeb() {
  const now = digest([
    'core/src',
    'web/src',
    'web/public',
    'web/angular.json',
    'web/tsconfig.json',
    'tsconfig.base.json',
    'package-lock.json',
  ]);
  if (readStamp('web') === now && existsSync(join(root, 'web/dist/browser/index.html'))) return;
  process.stdout.write('Building the pages …\n');
  must('npx', ['ng', 'build', '--progress=false'], {
    cwd: join(root, 'web'),
    env: { ...process.env, NG_CLI_ANALYTICS: 'false' },
  });
  writeStamp('web', now);
}

/** Programs that the tests use, from Debian's packages. */
const PROGRAMS = [
  { file: '/usr/bin/chromium', name: 'chromium' },
  { file: '/usr/bin/pdftotext', name: 'poppler-utils' },
  { file: '/usr/bin/sqlite3', name: 'sqlite3' },
];

export function systemPackages() {
  const missing = PROGRAMS.filter(({ file }) => !existsSync(file)).map(({ name }) => name);
  if (missing.length === 0) return;
  process.stdout.write(`Installing ${missing.join(', ')} …\n`);
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
  const admin = process.getuid?.() === 0 ? [] : ['sudo', '-n'];
  const apt = (...args) => {
    const [command, ...rest] = [...admin, 'apt-get', ...args];
    return run(command, rest, { env, stdio: ['ignore', 'ignore', 'inherit'] });
  };
  if (
    apt('update', '-qq') !== 0 ||
    apt('install', '-y', '-qq', '--no-install-recommends', ...missing) !== 0
  ) {
    process.stderr.write(`These programs are missing and could not be installed: ${missing.join(', ')}.\n`);
    process.exit(1);
  }
}
