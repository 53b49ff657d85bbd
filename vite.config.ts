import { sveltekit } from '@sveltejs/kit/vite';
import tailwindcss from '@tailwindcss/vite';
import { defineConfig } from 'vitest/config';

export default defineConfig({
  plugins: [tailwindcss(), sveltekit()],
  // Its entries are folders, which Node does not import by itself.
  ssr: { noExternal: [/^@atlaskit\/pragmatic-drag-and-drop/] },
  build: {
    // The component library declares no side effects; without this every page would carry all of its parts.
    rolldownOptions: {
      treeshake: {
        moduleSideEffects: [{ test: /node_modules\/flowbite-svelte\/.*\.(js|svelte)$/, sideEffects: false }],
      },
    },
  },
  test: {
    projects: [
      {
        extends: true,
        // Some look at everything that can be; on a busy machine that takes its time.
        test: { name: 'core', include: ['src/**/*.test.ts'], environment: 'node', testTimeout: 60_000 },
      },
      {
        extends: true,
        test: {
          name: 'server',
          include: ['tests/server/**/*.test.ts', 'tests/safety/**/*.test.ts'],
          environment: 'node',
          globalSetup: ['tests/server/cluster.ts'],
          setupFiles: ['tests/server/sound.ts'],
          testTimeout: 60_000,
          hookTimeout: 60_000,
        },
      },
    ],
  },
});
