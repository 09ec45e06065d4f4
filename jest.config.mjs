const parser = { syntax: 'typescript', decorators: true };
const transform = { legacyDecorator: true, decoratorMetadata: true, useDefineForClassFields: false };
const typescript = [
  '@swc/jest',
  { jsc: { target: 'es2022', parser, transform, keepClassNames: true }, sourceMaps: 'inline' },
];

/** Real parts: a PostgreSQL that the tests start, the service over HTTP, the built command, a browser. */
export default {
  testEnvironment: 'node',
  testMatch: ['<rootDir>/packages/*/src/**/*.test.ts', '<rootDir>/tests/**/*.test.ts'],
  extensionsToTreatAsEsm: ['.ts'],
  // Much of a test is waiting, for a command that starts or a page: one more than two processors.
  maxWorkers: 3,
  testSequencer: '<rootDir>/tests/slowest-first.mjs',
  // Far above what any test takes: a machine that is busy with something else makes none fail.
  testTimeout: 300_000,
  globalSetup: '<rootDir>/tests/start-database.mjs',
  globalTeardown: '<rootDir>/tests/stop-database.mjs',
  moduleNameMapper: {
    '^@gather-lane/(core|client|server|words|stand-ins)$': '<rootDir>/packages/$1/src/index.ts',
    '^(\\.{1,2}/.*)\\.js$': '$1',
  },
  transform: { '\\.ts$': typescript },
};
