import { defineConfig } from 'drizzle-kit';

export default defineConfig({
  dialect: 'sqlite',
  schema: './server/src/store/file-schema.ts',
  out: './server/migrations/file',
});
