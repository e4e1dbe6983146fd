// npm run kills [how many]: a server at work that is killed at random moments, 200 times unless told otherwise.
// npm run undos [how many]: drafts and saves made by chance, and undone, 20,000 times unless told otherwise.
// npm run faults [seconds]: people at work on a server to which everything happens, for half an hour unless told
// otherwise; the figures go into the README.
import { resolve } from 'node:path';
import { buildServer, install, must } from './setup.mjs';

const CHECKS = {
  kills: { spec: 'kills', many: 200 },
  undos: { spec: 'undo-model', many: 20_000 },
  faults: { spec: 'load', many: 1800 },
};

const [what, many] = process.argv.slice(2);
const check = CHECKS[what];
if (!check) throw new Error(`One of ${Object.keys(CHECKS).join(', ')} is done by chance.`);
install();
if (what === 'faults') await buildServer();
const jasmine = 'node_modules/jasmine/bin/jasmine.js';
const spec = `server/src/checks/${check.spec}.spec.ts`;
must(process.execPath, ['--expose-gc', '--import', 'tsx', jasmine, '--config=server/jasmine.json', spec], {
  env: {
    ...process.env,
    TSX_TSCONFIG_PATH: 'server/tsconfig.json',
    [what.toUpperCase()]: many ?? String(check.many),
    [`${what.toUpperCase()}_SEED`]: String(Date.now() % 1_000_000_000),
    ...(what === 'faults'
      ? { FAULTS_README: resolve('README.md'), FAULTS_BUILT: resolve('server/dist/main.js') }
      : {}),
  },
});
