import js from '@eslint/js';
import angular from 'angular-eslint';
import tseslint from 'typescript-eslint';

/** The arrows of the architecture: what a storey may not import. */
const forbid = (...patterns) => [
  'error',
  { patterns: patterns.map(([group, message]) => ({ group, message })) },
];
const SERVER = [
  ['@heathridge/server/*', '**/server/src/**'],
  'Only the server, the demo and the bench know the server.',
];
const WEB = [['**/web/src/**'], 'Nothing imports the web.'];
const NODE = [['node:*', 'fs', 'path', 'libsql', 'drizzle-orm*', 'fastify*'], 'The core has no I/O.'];
const PAGES = [['@angular/*', 'rxjs*', 'd3*'], 'The core has no interface code.'];

export default tseslint.config(
  {
    ignores: [
      '**/dist/**',
      '**/node_modules/**',
      '**/.angular/**',
      'server/migrations/**',
      'web/src/app/shared/icons.ts',
      '**/test-results/**',
      'data/**',
    ],
  },
  js.configs.recommended,
  {
    files: ['**/*.ts'],
    extends: [...tseslint.configs.strict, ...tseslint.configs.stylistic],
    rules: {
      '@typescript-eslint/no-non-null-assertion': 'off',
      '@typescript-eslint/consistent-type-imports': 'error',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      // Schemas and the types inferred from them share their names.
      '@typescript-eslint/no-redeclare': 'off',
      '@typescript-eslint/no-extraneous-class': ['error', { allowWithDecorator: true }],
      'no-empty': 'error',
      eqeqeq: ['error', 'smart'],
    },
  },
  {
    files: ['core/src/**/*.ts'],
    ignores: ['**/*.spec.ts', '**/testing/**'],
    rules: {
      'no-restricted-imports': forbid(SERVER, WEB, NODE, PAGES),
      'no-restricted-globals': ['error', 'document', 'window', 'process', 'Date'],
    },
  },
  { files: ['server/src/**/*.ts'], rules: { 'no-restricted-imports': forbid(WEB, PAGES) } },
  { files: ['demo/src/**/*.ts'], rules: { 'no-restricted-imports': forbid(WEB, PAGES) } },
  {
    files: ['web/src/**/*.ts'],
    extends: [...angular.configs.tsRecommended],
    processor: angular.processInlineTemplates,
    rules: {
      'no-restricted-imports': forbid(SERVER, [
        ['node:*', 'libsql', 'drizzle-orm*', 'fastify*'],
        'The web runs in the browser.',
      ]),
      // The selectors of dialogs are never written.
      '@angular-eslint/component-class-suffix': ['error', { suffixes: ['Component', 'Dialog'] }],
      // Addresses name their parameters shorter than the code does.
      '@angular-eslint/no-input-rename': 'off',
    },
  },
  {
    files: ['web/src/**/*.html'],
    extends: [...angular.configs.templateRecommended, ...angular.configs.templateAccessibility],
  },
  {
    files: ['**/*.mjs', '**/*.cjs'],
    languageOptions: {
      globals: {
        process: 'readonly',
        console: 'readonly',
        URL: 'readonly',
        module: 'writable',
        require: 'readonly',
        setTimeout: 'readonly',
        performance: 'readonly',
        fetch: 'readonly',
      },
    },
  },
);
