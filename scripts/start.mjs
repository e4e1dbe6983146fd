// npm start: installs what is missing, builds what is stale, serves.
import { buildServer, buildWeb, install } from './setup.mjs';

install();
await buildServer();
buildWeb();
await import('../server/dist/main.js');
