import adapter from '@sveltejs/adapter-static';

/** @type {import('@sveltejs/kit').Config} */
export default {
  kit: {
    // One page for all addresses; the server sends it where no file matches.
    adapter: adapter({ fallback: 'index.html', precompress: true, strict: false }),
    alias: { $api: 'src/lib/api' },
    version: { pollInterval: 0 },
  },
};
