import adapter from '@sveltejs/adapter-node';
import { vitePreprocess } from '@sveltejs/vite-plugin-svelte';
import { sayInLanguages } from './tools/words/preprocess.js';

/** @type {import('@sveltejs/kit').Config} */
export default {
  preprocess: [sayInLanguages(), vitePreprocess()],
  kit: {
    adapter: adapter({ out: 'build' }),
    alias: { $core: 'src/lib/core', $server: 'src/lib/server', $ui: 'src/lib/ui' },
    // Looked at in hooks.server.ts, which lets programs with a token send files.
    csrf: { trustedOrigins: ['*'] },
    csp: {
      mode: 'auto',
      directives: {
        'default-src': ['self'],
        'script-src': ['self'],
        // Components set the sizes and colours of their elements themselves.
        'style-src': ['self', 'unsafe-inline'],
        'img-src': ['self', 'data:', 'blob:'],
        'font-src': ['self', 'data:'],
        'worker-src': ['self', 'blob:'],
        'object-src': ['none'],
        'base-uri': ['self'],
        'form-action': ['self'],
        'frame-ancestors': ['none'],
      },
    },
  },
};
