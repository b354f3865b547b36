import { sveltekit } from '@sveltejs/kit/vite';
import { svelteTesting } from '@testing-library/svelte/vite';
import tailwindcss from '@tailwindcss/vite';
import { defineConfig } from 'vitest/config';

export default defineConfig({
  plugins: [tailwindcss(), sveltekit(), svelteTesting()],
  // The library's classes are never generated (src/lib/ui/theme.css), so that nothing has to weigh them against each other.
  resolve: { alias: [{ find: /^tailwind-variants$/, replacement: 'tailwind-variants/lite' }] },
  server: { proxy: { '/api': 'http://127.0.0.1:8484', '^/r/[^/]+/(take|zip|look)/': 'http://127.0.0.1:8484' } },
  // Fonts of scripts that a page does not show stay outside of its styles.
  build: { target: 'es2022', assetsInlineLimit: 0 },
  // Tests of components ask for a page by a comment at their head.
  test: { include: ['src/**/*.test.ts'], setupFiles: ['src/tests/setup.ts'] },
});
