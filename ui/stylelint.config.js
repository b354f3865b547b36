const token = 'Take a token of src/lib/ui/tokens.css, or add one there.';

// Colours, sizes of type and room between things stand in tokens.css alone.
export default {
  ignoreFiles: ['build/**', '.svelte-kit/**', 'node_modules/**'],
  overrides: [
    { files: ['**/*.svelte'], customSyntax: 'postcss-html' },
    { files: ['src/lib/ui/tokens.css'], rules: { 'color-no-hex': null, 'function-disallowed-list': null } },
  ],
  rules: {
    'color-no-hex': [true, { message: token }],
    'color-named': ['never', { message: token, ignore: ['inside-function'] }],
    'function-disallowed-list': [['rgb', 'rgba', 'hsl', 'hsla', 'oklch'], { message: token }],
    'declaration-property-value-allowed-list': [
      { 'font-size': ['/^var\\(--t-/', 'inherit'], 'box-shadow': ['/^var\\(--/', '/^inset /', 'none'] },
      { message: token },
    ],
    'declaration-property-value-disallowed-list': [
      {
        font: ['/[0-9.]px(?! *var)/'],
        '/^(gap|row-gap|column-gap|padding.*|margin.*)$/': ['/(^|[ (-])(?!1px)[0-9.]+px/'],
      },
      { message: token },
    ],
    'media-feature-name-disallowed-list': [['max-width', 'min-width'], { message: token }],
  },
};
