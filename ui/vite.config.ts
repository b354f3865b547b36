import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { sveltekit } from '@sveltejs/kit/vite';
import { svelteTesting } from '@testing-library/svelte/vite';
import tailwindcss from '@tailwindcss/vite';
import subset from 'subset-font';
import { defineConfig } from 'vitest/config';

/**
 * Parts of the library name its index, by which all of it would come along. Of what they take from there our parts need
 * the spinner alone.
 */
const partsAlone = {
  name: 'parts-alone',
  enforce: 'pre' as const,
  resolveId: (source: string, importer?: string) =>
    /^\.\.(\/\.\.)?$/.test(source) && importer?.includes('/flowbite-svelte/dist/')
      ? importer.replace(/\/flowbite-svelte\/dist\/.*/, '/flowbite-svelte/dist/spinner/index.js')
      : undefined,
};

/** Says which packages are in what is sent, for the list of their licences (scripts/licences.mjs). */
const shipped = new Set<string>();
const whatShips = {
  name: 'what-ships',
  apply: 'build' as const,
  generateBundle(_: unknown, bundle: Record<string, { moduleIds?: string[]; originalFileNames?: string[] }>) {
    for (const part of Object.values(bundle))
      for (const id of [...(part.moduleIds ?? []), ...(part.originalFileNames ?? [])]) {
        const name = /.*node_modules\/((?:@[^/]+\/)?[^/]+)\//.exec(id)?.[1];
        if (name) shipped.add(name);
      }
    writeFileSync(here('.svelte-kit/shipped.json'), JSON.stringify([...shipped].sort()));
  },
};

const here = (path: string) => fileURLToPath(new URL(path, import.meta.url));

/**
 * The classes of the library are never generated (src/lib/ui/theme.css), so that of its themes only the names of the
 * slots are sent.
 */
const withoutClasses = {
  name: 'without-classes',
  transform(code: string, id: string) {
    if (!/\/flowbite-svelte\/dist\/.*theme\.js$/.test(id)) return;
    interface Theme {
      slots?: Record<string, unknown>;
      extend?: Theme;
    }
    // Each theme is one call of tv for each part; a part that extends another has its slots too.
    const names = [...code.matchAll(/export const (\w+) = tv\(/g)].map(([, name]) => name!);
    const tv = ({ slots, extend }: Theme): Theme => ({
      slots: slots || extend?.slots ? { base: '', ...extend?.slots, ...slots } : {},
    });
    const dialog: Theme = { slots: { base: '', form: '', close: '' } };
    const body = code.replace(/^import .*$/gm, '').replace(/^export /gm, '');
    const given = names.includes('dialog') ? '_' : 'dialog';
    const themes = new Function('tv', given, `${body}; return { ${names} };`)(tv, dialog) as Record<string, Theme>;
    const lines = Object.entries(themes).map(
      ([name, { slots = {} }]) => `export const ${name} = tv([${Object.keys(slots).map((s) => JSON.stringify(s))}]);`,
    );
    return { code: `import { tv } from 'tailwind-variants';\n${lines.join('\n')}`, map: null };
  },
};

/**
 * Recipients' fonts keep the letters of their subset (that of Fontsource's latin files) and how these stand together;
 * features that their page never asks for are left out.
 */
const lighterFonts = {
  name: 'lighter-fonts',
  apply: 'build' as const,
  async generateBundle(_: unknown, bundle: Record<string, { type: string; source?: string | Uint8Array }>) {
    const latin = [
      [0x20, 0x7e],
      [0xa0, 0xff],
      [0x131, 0x131],
      [0x152, 0x153],
      [0x2bb, 0x2bc],
      [0x2c6, 0x2dc],
      [0x2010, 0x2044],
      [0x20ac, 0x20ac],
      [0x2122, 0x2122],
      [0x2191, 0x2215],
    ] as const;
    const letters = latin
      .flatMap(([from, to]) => Array.from({ length: to - from + 1 }, (_, i) => String.fromCodePoint(from + i)))
      .join('');
    // Headings are names and sentences; a fraction or an arrow in one comes from the system. So does what is not a figure,
    // a sum or a path in the typewriter's.
    const only = {
      bricolage: letters.replace(
        /[^ -~\u00a0\u00ab\u00b7\u00bb\u00bf-\u00ff\u0131\u0152\u0153\u2013\u2014\u2018-\u201e\u2026]/g,
        '',
      ),
      'red-hat': letters.replace(/[^ -~\u00a0\u00b7\u00d7\u2013\u2014\u2026\u2212]/g, ''),
      hanken: letters,
    };
    for (const [name, asset] of Object.entries(bundle))
      for (const [font, kept] of Object.entries(only))
        if (asset.type === 'asset' && name.includes(font) && /-latin-[46]00-normal.*\.woff2$/.test(name))
          asset.source = await subset(Buffer.from(asset.source!), kept, { targetFormat: 'woff2' });
  },
};

const tests = readdirSync(here('src'), { recursive: true, encoding: 'utf8' })
  .filter((path) => path.endsWith('.test.ts'))
  .map((path) => `src/${path}`);
const apart = (path: string) => readFileSync(here(path), 'utf8').includes('vi.mock(');

export default defineConfig({
  plugins: [partsAlone, withoutClasses, lighterFonts, whatShips, tailwindcss(), sveltekit(), svelteTesting()],
  resolve: { alias: [{ find: /^tailwind-variants$/, replacement: here('src/lib/ui/variants.ts') }] },
  server: { proxy: { '/api': 'http://127.0.0.1:8484', '^/r/[^/]+/(take|zip|look)/': 'http://127.0.0.1:8484' } },
  // Fonts of scripts that a page does not show stay outside of its styles.
  build: { target: 'es2022', assetsInlineLimit: 0 },
  // Those that put something in a module's place have their modules to themselves, the others share what is loaded.
  test: {
    alias: ['navigation', 'paths', 'state'].map((part) => ({
      find: `$app/${part}`,
      replacement: here(`src/tests/${part}.ts`),
    })),
    environment: 'jsdom',
    testTimeout: 60_000,
    hookTimeout: 60_000,
    setupFiles: ['src/tests/setup.ts'],
    projects: [
      { extends: true, test: { name: 'shared', include: tests.filter((path) => !apart(path)), isolate: false } },
      { extends: true, test: { name: 'apart', include: tests.filter(apart), sequence: { groupOrder: 1 } } },
    ],
  },
});
