import { defineConfig } from 'drizzle-kit';

export default defineConfig({
  dialect: 'postgresql',
  schema: './src/lib/server/database/catalogue.ts',
  out: './migrations',
  schemaFilter: ['loom'],
});
