import hooks from 'eslint-plugin-react-hooks';
import tseslint from 'typescript-eslint';

const only = (...allowed) => ({
  patterns: [
    {
      regex: `^@virga/(?!(?:${allowed.join('|') || 'nothing'})(?:/|$))`,
      message: `only ${allowed.map((name) => `@virga/${name}`).join(', ') || 'no package of the house'} may be imported here`,
    },
    { regex: '^(\\.\\./)+(apps|packages)/', message: 'other packages are imported by name' },
  ],
});
const boundary = (files, ...allowed) => ({ files: [files], ignores: ['**/*.test.ts'], rules: { 'no-restricted-imports': ['error', only(...allowed)] } });

export default tseslint.config(
  { ignores: ['**/dist/**', '**/node_modules/**', '.virga/**', 'apps/*/public/**', 'test-results/**'] },
  {
    files: ['**/*.{ts,tsx}'],
    extends: [...tseslint.configs.recommendedTypeChecked],
    languageOptions: { parserOptions: { projectService: { allowDefaultProject: [] } } },
    rules: {
      '@typescript-eslint/no-explicit-any': 'error',
      '@typescript-eslint/no-shadow': 'error',
      '@typescript-eslint/switch-exhaustiveness-check': ['error', { considerDefaultExhaustiveForUnions: true }],
      '@typescript-eslint/consistent-type-imports': 'off',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      // Unknown values are made text on purpose where messages name what was found; ports are closures without `this`.
      '@typescript-eslint/no-base-to-string': 'off',
      '@typescript-eslint/unbound-method': 'off',
      '@typescript-eslint/restrict-template-expressions': 'off',
      eqeqeq: 'error',
    },
  },
  {
    files: ['apps/console/**/*.{ts,tsx}', 'apps/portal/**/*.{ts,tsx}', 'packages/parts/**/*.{ts,tsx}'],
    plugins: { 'react-hooks': hooks },
    rules: { 'react-hooks/rules-of-hooks': 'error', 'react-hooks/exhaustive-deps': 'error' },
  },
  {
    files: ['packages/core/src/**/*.ts'],
    ignores: ['**/*.test.ts'],
    rules: {
      'no-restricted-globals': ['error', 'fetch', 'setTimeout', 'setInterval', 'process', 'console', 'window', 'document', 'performance', 'localStorage'],
      'no-restricted-properties': ['error', { object: 'Date', property: 'now' }, { object: 'Math', property: 'random' }],
      'no-restricted-imports': ['error', { patterns: [...only().patterns, { regex: '^(node:|fs$|http$|path$|crypto$)', message: 'core does no I/O' }] }],
    },
  },
  boundary('packages/protocol/src/**/*.ts', 'core'),
  boundary('packages/outbound/src/**/*.ts', 'core'),
  boundary('packages/threads/src/**/*.ts'),
  boundary('apps/gateway/src/**/*.ts', 'core', 'protocol/node', 'outbound', 'threads'),
  boundary('apps/server/src/**/*.ts', 'core', 'protocol', 'outbound', 'threads'),
  boundary('packages/parts/src/**/*.{ts,tsx}', 'protocol'),
  boundary('apps/console/src/**/*.{ts,tsx}', 'core', 'protocol', 'parts'),
  boundary('apps/portal/src/**/*.{ts,tsx}', 'protocol', 'parts'),
  boundary('apps/standins/src/**/*.ts'),
  {
    files: ['packages/**/*.test.ts', 'packages/*/test/**/*.ts', 'apps/server/test/**/*.ts', 'apps/gateway/test/**/*.ts'],
    ignores: ['packages/parts/**'],
    languageOptions: { parserOptions: { projectService: false, project: './tsconfig.test.json' } },
  },
  {
    files: ['**/*.test.ts', 'e2e/**/*.ts', '**/test/**/*.ts'],
    rules: {
      '@typescript-eslint/no-unsafe-assignment': 'off',
      '@typescript-eslint/no-unsafe-member-access': 'off',
      '@typescript-eslint/no-unsafe-argument': 'off',
      '@typescript-eslint/require-await': 'off',
    },
  },
);
