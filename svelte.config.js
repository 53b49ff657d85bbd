import adapter from '@sveltejs/adapter-node';
import { vitePreprocess } from '@sveltejs/vite-plugin-svelte';

/** @type {import('@sveltejs/kit').Config} */
export default {
  preprocess: vitePreprocess(),
  kit: {
    adapter: adapter({ out: 'build' }),
    alias: { $core: 'src/lib/core', $server: 'src/lib/server', $ui: 'src/lib/ui' },
    // Looked at in hooks.server.ts, which lets programs with a token send files.
    csrf: { trustedOrigins: ['*'] },
    csp: {
      mode: 'auto',
      directives: { 'script-src': ['self'], 'object-src': ['none'], 'base-uri': ['self'], 'frame-ancestors': ['none'] },
    },
  },
};
