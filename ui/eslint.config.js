import js from '@eslint/js';
import svelte from 'eslint-plugin-svelte';
import globals from 'globals';
import ts from 'typescript-eslint';
import config from './svelte.config.js';

const layer = 'Standard controls come from $lib/ui, which alone knows the library.';

export default ts.config(
  { ignores: ['build/', '.svelte-kit/', 'src/lib/api/schema.d.ts'] },
  js.configs.recommended,
  ...ts.configs.recommended,
  ...svelte.configs.recommended,
  { languageOptions: { globals: { ...globals.browser, ...globals.node } } },
  {
    files: ['**/*.svelte', '**/*.svelte.ts'],
    languageOptions: { parserOptions: { parser: ts.parser, svelteConfig: config } },
    rules: { 'svelte/no-navigation-without-resolve': 'off' },
  },
  {
    // The layer is not gone around: neither by the library's parts nor by the elements that they stand for.
    files: ['src/**'],
    ignores: ['src/lib/ui/**'],
    rules: {
      'no-restricted-imports': [
        'error',
        { patterns: [{ group: ['flowbite-svelte', 'flowbite-svelte/*', 'flowbite'], message: layer }] },
      ],
    },
  },
  {
    files: ['src/**/*.svelte'],
    ignores: ['src/lib/ui/**'],
    rules: {
      'svelte/no-restricted-html-elements': [
        'error',
        { elements: ['select', 'textarea', 'table', 'dialog', 'progress', 'details'], message: layer },
      ],
      'no-restricted-syntax': [
        'error',
        {
          selector:
            'SvelteElement[name.name="input"]:not(:has(SvelteAttribute[key.name="type"] > SvelteLiteral[value=/^(file|range)$/]))',
          message: layer,
        },
        {
          selector:
            'SvelteElement[name.name=/^(a|button)$/] SvelteAttribute[key.name="class"] > SvelteLiteral[value=/(^| )(button|link)( |$)/]',
          message: layer,
        },
      ],
    },
  },
  { rules: { 'no-undef': 'off' } },
);
