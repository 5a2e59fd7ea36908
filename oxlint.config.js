/** What the linter holds: rules that read types, and which package may import which. */
const BY_NAME = { regex: '^(\\.\\./)+(apps|packages)/', message: 'other packages are imported by name' };
const TESTS = ['**/*.test.ts', '**/*.test.tsx'];

/** Imports of a package of the house that is not named. @param allowed names after `@virga/`; `parts/*` for what lies in a package */
const only = (...allowed) => ({
  group: ['@virga/**', ...allowed.map((name) => `!@virga/${name}`)],
  message: `only ${allowed.map((name) => `@virga/${name}`).join(', ') || 'no package of the house'} may be imported here`,
});
const boundary = (files, ...allowed) => ({
  files: [files],
  excludeFiles: TESTS,
  rules: { 'no-restricted-imports': ['error', { patterns: [only(...allowed), BY_NAME] }] },
});
const all = (level, prefix, names) => Object.fromEntries(names.map((name) => [prefix + name, level]));

const UNSAFE = ['no-unsafe-argument', 'no-unsafe-assignment', 'no-unsafe-member-access'];
const TYPED = [
  'no-explicit-any',
  'no-misused-promises',
  'no-require-imports',
  'no-unsafe-call',
  'no-unsafe-enum-comparison',
  'no-unsafe-return',
  'require-await',
  'restrict-plus-operands',
  ...UNSAFE,
];

export default {
  plugins: ['typescript', 'oxc'],
  categories: { correctness: 'error' },
  options: { typeAware: true, denyWarnings: true, reportUnusedDisableDirectives: 'error' },
  ignorePatterns: ['**/dist/**', '.virga/**', 'apps/*/public/**', 'test-results/**'],
  rules: {
    ...all('error', '', ['eqeqeq', 'no-array-constructor', 'no-shadow', 'no-var', 'prefer-const', 'prefer-rest-params', 'prefer-spread']),
    'no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
    ...all('error', 'typescript/', [
      ...TYPED,
      'ban-ts-comment',
      'no-empty-object-type',
      'no-namespace',
      'no-unnecessary-type-assertion',
      'no-unnecessary-type-constraint',
      'no-unsafe-function-type',
      'only-throw-error',
      'prefer-promise-reject-errors',
    ]),
    'typescript/switch-exhaustiveness-check': ['error', { considerDefaultExhaustiveForUnions: true }],
    // Unknown values are made text on purpose where messages name what was found; ports are closures without `this`;
    // classes of the protocol are shapes; text is sorted by its units; generators are run to their end; some text is searched for control characters.
    'no-control-regex': 'off',
    ...all('off', 'typescript/', [
      'no-base-to-string',
      'no-meaningless-void-operator',
      'no-misused-spread',
      'require-array-sort-compare',
      'restrict-template-expressions',
      'unbound-method',
    ]),
  },
  overrides: [
    {
      files: ['apps/{console,portal}/**/*.{ts,tsx}', 'packages/parts/**/*.{ts,tsx}'],
      plugins: ['typescript', 'oxc', 'react'],
      rules: {
        ...all('error', 'react/', ['rules-of-hooks', 'exhaustive-deps']),
        // Rules of a compiler that does not build these screens.
        ...all('off', 'react/', ['immutability', 'incompatible-library', 'purity', 'set-state-in-effect']),
      },
    },
    {
      files: ['packages/core/src/**/*.ts'],
      excludeFiles: TESTS,
      rules: {
        'no-restricted-globals': ['error', 'fetch', 'setTimeout', 'setInterval', 'process', 'console', 'window', 'document', 'performance', 'localStorage'],
        'no-restricted-properties': ['error', { object: 'Date', property: 'now' }, { object: 'Math', property: 'random' }],
        'no-restricted-imports': ['error', { patterns: [only(), BY_NAME, { regex: '^(node:|fs$|http$|path$|crypto$)', message: 'core does no I/O' }] }],
      },
    },
    boundary('packages/protocol/src/**/*.ts', 'core'),
    boundary('packages/outbound/src/**/*.ts', 'core'),
    boundary('packages/threads/src/**/*.ts'),
    boundary('apps/gateway/src/**/*.ts', 'core', 'protocol/node', 'outbound', 'threads'),
    boundary('apps/server/src/**/*.ts', 'core', 'protocol', 'protocol/node', 'outbound', 'threads'),
    boundary('packages/parts/src/**/*.{ts,tsx}', 'protocol'),
    boundary('apps/console/src/**/*.{ts,tsx}', 'core', 'protocol', 'parts', 'parts/*'),
    boundary('apps/portal/src/**/*.{ts,tsx}', 'protocol', 'parts', 'parts/*'),
    boundary('apps/standins/src/**/*.ts'),
    { files: ['**/*.test.ts', 'e2e/**/*.ts', '**/test/**/*.ts'], rules: all('off', 'typescript/', [...UNSAFE, 'require-await']) },
    { files: ['**/*.{mjs,cjs,js}'], rules: all('off', 'typescript/', TYPED) },
    // Fixtures that need no other one take an empty object.
    { files: ['e2e/**/*.ts'], rules: { 'no-empty-pattern': 'off' } },
    // The gateway calls their function by its name.
    { files: ['demo/authorizers/*.js'], rules: { 'no-unused-vars': 'off' } },
  ],
};
