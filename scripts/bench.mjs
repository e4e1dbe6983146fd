// npm run bench: the figures, as ratios within one run; renews the table in the README.
import { buildBench, buildServer, buildWeb, install, must, systemPackages } from './setup.mjs';

install();
systemPackages();
// The map is measured in the built application.
await buildServer();
buildWeb();
await buildBench();
must(process.execPath, ['--enable-source-maps', 'server/dist/bench/run.js']);
must('npx', ['prettier', '--write', '--log-level', 'warn', 'README.md']);
