import { sveltekit } from '@sveltejs/kit/vite';
import tailwindcss from '@tailwindcss/vite';
import { defineConfig } from 'vitest/config';
import { sayInModules } from './tools/words/preprocess.js';

const serverTests = ['tests/server/**/*.test.ts', 'tests/safety/**/*.test.ts'];
const madeUp = 'tests/server/registries.test.ts';
const server = {
  environment: 'node' as const,
  globalSetup: ['tests/server/cluster.ts'],
  setupFiles: ['tests/server/sound.ts'],
  testTimeout: 60_000,
  hookTimeout: 60_000,
};

export default defineConfig({
  plugins: [sayInModules(), tailwindcss(), sveltekit()],
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
    // The files of a worker share what is imported, which takes longer than most of them.
    projects: [
      {
        extends: true,
        // Some look at everything that can be; on a busy machine that takes its time.
        test: { name: 'core', include: ['src/**/*.test.ts'], environment: 'node', testTimeout: 60_000, isolate: false },
      },
      {
        extends: true,
        // What one of the files leaves in memory is of a database of its own, under numbers of its own.
        test: { ...server, name: 'server', include: serverTests, exclude: [madeUp], isolate: false },
      },
      // What is made up in it stands in the registries before anything reads them.
      { extends: true, test: { ...server, name: 'server, made up', include: [madeUp] } },
    ],
  },
});
