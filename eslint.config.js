import js from '@eslint/js';
import svelte from 'eslint-plugin-svelte';
import globals from 'globals';
import ts from 'typescript-eslint';
import svelteConfig from './svelte.config.js';

/** What a kind of field is asked for stands in its descriptor. */
const noFieldSwitch = ["[object.name='type']", "[object.property.name='type']", "[object.name='field']"].flatMap((of) =>
  ['', ' > ChainExpression'].map((chain) => ({
    selector: `SwitchStatement${chain} > MemberExpression${chain ? '' : '.discriminant'}${of}[property.name='kind']`,
    message: 'Ask the registry of kinds of fields (core/fieldTypes, server/fieldTypes, ui/fieldTypes).',
  })),
);

export default ts.config(
  {
    ignores: [
      'build/',
      '.svelte-kit/',
      'node_modules/',
      '.loom/',
      'migrations/',
      'test-results/',
      // Made by a test.
      'tests/client/generated.d.ts',
      'tests/client/wrong.ts',
      'src/lib/ui/formula/grammar/*.js',
    ],
  },
  js.configs.recommended,
  ...ts.configs.strict,
  ...svelte.configs.recommended,
  {
    languageOptions: { globals: { ...globals.browser, ...globals.node } },
    rules: {
      // TypeScript knows better which names exist.
      'no-undef': 'off',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      // `if (x) return void (y = z)` ends a handler with its last step.
      '@typescript-eslint/no-invalid-void-type': 'off',
      'svelte/no-navigation-without-resolve': 'off',
      // Sets and maps here are values: replaced, never changed in place.
      'svelte/prefer-svelte-reactivity': 'off',
    },
  },
  {
    files: ['**/*.svelte', '**/*.svelte.ts'],
    languageOptions: { parserOptions: { parser: ts.parser, svelteConfig } },
    rules: { 'prefer-const': 'off', 'no-sequences': 'off', '@typescript-eslint/no-unused-expressions': 'off' },
  },
  { files: ['tests/**', '**/*.test.ts'], rules: { '@typescript-eslint/no-non-null-assertion': 'off' } },
  {
    // Arrows run one way: the core knows nothing of the others, and a page reaches the database through the server's functions only.
    files: ['src/lib/core/**'],
    rules: {
      'no-restricted-imports': [
        'error',
        {
          patterns: [
            '$server/*',
            '$ui/*',
            '$app/*',
            'svelte',
            'svelte/*',
            'node:*',
            'pg',
            'drizzle-orm*',
            '@sveltejs/*',
            '**/server/**',
            '**/ui/**',
          ],
        },
      ],
    },
  },
  {
    // What a kind of field or of change does stands in its descriptor, never in a switch over all of them elsewhere.
    files: ['src/lib/core/**', 'src/lib/server/**'],
    rules: {
      'no-restricted-syntax': [
        'error',
        ...noFieldSwitch,
        {
          selector: "SwitchStatement > MemberExpression.discriminant[object.name='change'][property.name='do']",
          message: 'Ask the registry of changes (core/changes, server/structure/changes).',
        },
        {
          selector: "SwitchStatement > MemberExpression.discriminant[object.name='view'][property.name='kind']",
          message: 'Ask the registry of kinds of views (core/views).',
        },
      ],
    },
  },
  {
    files: ['src/lib/ui/**'],
    rules: {
      '@typescript-eslint/no-restricted-imports': [
        'error',
        { patterns: [{ group: ['$server/*', 'pg', 'node:*', 'drizzle-orm*'], allowTypeImports: true }] },
      ],
      'no-restricted-syntax': ['error', ...noFieldSwitch],
    },
  },
);
