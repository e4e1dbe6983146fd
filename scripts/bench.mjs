// npm run bench: the figures, as ratios within one run; renews the table in the README.
import { buildServer, buildWeb, install, must, systemPackages } from './setup.mjs';

install();
systemPackages();
// The map is measured in the built application.
await buildServer();
buildWeb();
must(process.execPath, ['--import', 'tsx', 'bench/run.ts'], {
  env: { ...process.env, TSX_TSCONFIG_PATH: 'server/tsconfig.json' },
});
must('npx', ['prettier', '--write', '--log-level', 'warn', 'README.md']);
