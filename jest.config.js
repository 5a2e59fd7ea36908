/** Unit and socket tests, TypeScript run as ESM. */
export default {
  testEnvironment: 'node',
  extensionsToTreatAsEsm: ['.ts'],
  testMatch: ['<rootDir>/packages/**/*.test.ts', '<rootDir>/apps/**/*.test.ts'],
  testPathIgnorePatterns: ['/node_modules/', '/dist/'],
  modulePathIgnorePatterns: ['/dist/'],
  moduleNameMapper: {
    '^@virga/(core|protocol|outbound|threads)$': '<rootDir>/packages/$1/src/index.ts',
    '^@virga/protocol/node$': '<rootDir>/packages/protocol/src/node/index.ts',
    '^(\\.{1,2}/.*)\\.js$': '$1',
  },
  transform: {
    '^.+\\.ts$': [
      '@swc/jest',
      {
        jsc: {
          target: 'es2022',
          parser: { syntax: 'typescript', decorators: true },
          transform: { legacyDecorator: true, decoratorMetadata: true, useDefineForClassFields: false },
        },
        module: { type: 'es6' },
      },
    ],
  },
  // A test that hangs is ended; how long a good one takes is no matter, on the slowest machine neither.
  testTimeout: 180_000,
  maxWorkers: 2,
};
