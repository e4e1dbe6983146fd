import { defineConfig } from 'drizzle-kit';

export default defineConfig({
  dialect: 'sqlite',
  schema: './server/src/store/registry-schema.ts',
  out: './server/migrations/registry',
});
