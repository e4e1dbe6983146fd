// npm run bench: the figures, as ratios within one run; renews the table in the README.
import { install, must, systemPackages } from './setup.mjs';

install();
systemPackages();
must(process.execPath, ['--import', 'tsx', 'bench/run.ts'], {
  env: { ...process.env, TSX_TSCONFIG_PATH: 'server/tsconfig.json' },
});
must('npx', ['prettier', '--write', '--log-level', 'warn', 'README.md']);
