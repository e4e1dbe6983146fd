import js from '@eslint/js';
import boundaries from 'eslint-plugin-boundaries';
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
const DEMO = [
  ['@heathridge/demo', '**/demo/src/**'],
  'The demo stands on the server, not the other way round.',
];
const PAGES = [['@angular/*', 'rxjs*', 'd3*', '!d3-array'], 'The core has no interface code.'];

/** What each room of a storey may use of the same storey: nothing may stand on what stands on it. */
const CORE_ROOMS = {
  values: [],
  expression: ['values'],
  design: ['expression', 'values'],
  rows: ['design', 'expression', 'values'],
  form: ['design', 'expression', 'query', 'report', 'rows', 'values'],
  people: ['design', 'expression', 'form', 'rows'],
  query: ['chart', 'design', 'expression', 'values'],
  chart: ['design', 'values'],
  report: ['design', 'query', 'values'],
  board: ['design', 'expression', 'form', 'people', 'values'],
  documents: ['board', 'design', 'form', 'people', 'query', 'report'],
  change: ['design', 'documents', 'expression', 'values'],
  plan: ['change', 'design', 'expression'],
  temporal: [],
  api: [
    'board',
    'expression',
    'change',
    'design',
    'documents',
    'form',
    'plan',
    'query',
    'report',
    'rows',
    'sheet',
  ],
  sheet: ['design', 'values'],
  exchange: ['change', 'design', 'documents', 'expression', 'plan', 'sheet', 'values'],
};

/** Children (`jobs`) do the work of the rooms below them, which therefore know nothing of children. */
const SERVER_ROOMS = {
  store: [],
  change: ['store'],
  people: ['store'],
  rows: ['change', 'store'],
  report: [],
  sheets: ['change', 'rows', 'store'],
  jobs: ['change', 'report', 'rows', 'sheets', 'store'],
  reading: ['jobs', 'rows', 'store'],
  plan: ['change', 'jobs', 'store'],
  http: ['change', 'jobs', 'people', 'sheets', 'store'],
  routes: ['change', 'http', 'jobs', 'plan', 'reading', 'report', 'rows', 'sheets', 'store'],
};

const WEB_ROOMS = {
  shared: [],
  frame: ['shared'],
  value: ['shared'],
  grid: ['shared', 'value'],
  pages: ['frame', 'shared'],
  file: ['shared'],
  desk: ['frame', 'shared', 'value'],
  plan: ['ask', 'desk', 'file', 'shared', 'value'],
  ask: ['file', 'shared', 'value'],
  fill: ['ask', 'bring', 'desk', 'file', 'frame', 'grid', 'shared', 'value'],
  lists: ['ask', 'desk', 'frame', 'grid', 'shared', 'value'],
  boards: ['ask', 'chart', 'desk', 'file', 'frame', 'lists', 'shared', 'value'],
  bring: ['file', 'shared'],
  chart: ['grid', 'shared'],
  query: ['ask', 'chart', 'file', 'frame', 'plan', 'shared', 'value'],
  screens: ['ask', 'desk', 'file', 'frame', 'shared'],
  print: ['ask', 'file', 'frame', 'shared', 'value'],
  people: ['ask', 'file', 'frame', 'shared'],
  bench: ['file', 'plan', 'shared'],
};

/** Holds the rooms below a folder to what each may use; files that stand beside the rooms belong to none. */
const rooms = (folder, uses) => ({
  files: [`${folder}/*/**/*.ts`],
  // Specs check across rooms: adoption beside conversion, say.
  ignores: ['**/*.spec.ts', '**/testing/**', '**/checks/**'],
  plugins: { boundaries },
  settings: {
    'import/resolver': { node: { extensions: ['.ts'] } },
    'boundaries/dependency-nodes': ['import', 'export', 'dynamic-import'],
    'boundaries/elements': [{ type: 'room', pattern: `${folder}/*`, capture: ['name'] }],
  },
  rules: {
    'boundaries/no-unknown-files': 'error',
    'boundaries/element-types': [
      'error',
      {
        default: 'disallow',
        message: '${file.name} may not use ${dependency.name}: see the rooms in eslint.config.mjs.',
        rules: Object.entries(uses).map(([name, others]) => ({
          from: [['room', { name }]],
          allow: [name, ...others].map((other) => ['room', { name: other }]),
        })),
      },
    ],
  },
});

/** Controls are Angular Material's. Exceptions are choosers of files, which nobody sees, and cards of the map. */
/** Input that is drawn anew for each run fails now and then, and nobody can say at what. */
const SEEDED = {
  selector:
    "CallExpression[callee.object.name='fc'][callee.property.name='assert']:not(:has(Property[key.name='seed']))",
  message: 'Give the property a seed; look for what it does not find with other seeds, by hand.',
};

const PLAIN_CONTROLS = [
  ['button', '/^mat(Button|IconButton|ChipRemove|-menu-item|-list-item|-chip-option)$/'],
  ['input', '/^(matInput|matChipInput|type)$/'],
  ['textarea', '/^matInput$/'],
  ['select', '/^$/'],
].map(([name, attribute]) => ({
  selector:
    `Element[name='${name}']:not(:has(> TextAttribute[name=${attribute}]))` +
    `:not(:has(> TextAttribute[name='class'][value='face']))`,
  message: `A plain <${name}>: take Angular Material's.`,
}));
PLAIN_CONTROLS.push({
  selector: `Element[name='input']:has(> TextAttribute[name='type']:not([value='file'])):not(:has(> TextAttribute[name='matInput']))`,
  message: `A plain <input>: take Angular Material's.`,
});
/** Whoever presses Enter at once, before the page has seen the last letter, would find the button off. */
PLAIN_CONTROLS.push({
  selector: `Element[name='button']:has(> TextAttribute[name='type'][value='submit']) > BoundAttribute[name='disabled']:not([value.source=/^busy\\(\\)$/])`,
  message: 'A button that submits is only off while it works: pressing it says what is missing.',
});

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
  rooms('core/src', CORE_ROOMS),
  rooms('server/src', SERVER_ROOMS),
  rooms('web/src/app', WEB_ROOMS),
  {
    files: ['server/src/**/*.ts'],
    ignores: ['**/*.spec.ts', '**/testing/**'],
    rules: {
      'no-restricted-imports': forbid(WEB, PAGES, DEMO),
      'no-restricted-syntax': [
        'error',
        {
          selector:
            "CallExpression[callee.object.type='CallExpression']:not([callee.object.callee.name='guarded'])[callee.property.name=/^(run|get|all|iterate)$/] > SpreadElement",
          message:
            'Hand values over as an array: the driver takes a single NULL, or bytes, for something else.',
        },
        {
          selector: "Literal[value='ROLLBACK']",
          message: 'Take rollBack: where the engine has ended the transaction, this would hide why.',
        },
      ],
    },
  },
  {
    files: ['**/*.spec.ts'],
    rules: { 'no-restricted-syntax': ['error', SEEDED] },
  },
  { files: ['bench/**/*.ts'], rules: { 'no-restricted-imports': forbid(WEB, PAGES) } },
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
    files: ['web/src/**/*.ts'],
    ignores: ['web/src/app/shared/choices-list.ts'],
    rules: {
      'no-restricted-syntax': [
        'error',
        {
          selector: "ImportSpecifier[imported.name='MatAutocompleteModule']",
          message: 'CHOICES_LIST closes what is not open yet, too.',
        },
      ],
    },
  },
  {
    files: ['web/src/**/*.spec.ts'],
    rules: {
      'no-restricted-syntax': [
        'error',
        ...['Literal[value', 'TemplateElement[value.raw'].map((text) => ({
          selector: `CallExpression[callee.property.name=/^(querySelector(All)?|closest|css)$/] ${text}=/(^|[^"'=.\\d])\\.[a-z]/]`,
          message: 'Name what people meet: a role, a label, a harness; classes are for the look.',
        })),
        SEEDED,
      ],
    },
  },
  {
    files: ['web/src/**/*.html'],
    extends: [...angular.configs.templateRecommended, ...angular.configs.templateAccessibility],
    rules: { 'no-restricted-syntax': ['error', ...PLAIN_CONTROLS] },
  },
  // The inputs of values hang Material's calendar and list of times on a line of their own.
  { files: ['web/src/app/value/**/*.html'], rules: { 'no-restricted-syntax': 'off' } },
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
