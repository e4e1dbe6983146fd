// npm run kills [how many]: a server at work that is killed at random moments, 200 times unless told otherwise.
import { install, must } from './setup.mjs';

install();
const jasmine = 'node_modules/jasmine/bin/jasmine.js';
must(
  process.execPath,
  ['--import', 'tsx', jasmine, '--config=server/jasmine.json', 'server/src/checks/kills.spec.ts'],
  {
    env: {
      ...process.env,
      TSX_TSCONFIG_PATH: 'server/tsconfig.json',
      KILLS: process.argv[2] ?? '200',
      KILLS_SEED: String(Date.now() % 1_000_000_000),
    },
  },
);
