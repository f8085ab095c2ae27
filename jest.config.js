export default {
  testEnvironment: 'node',
  testMatch: ['<rootDir>/tests/**/*.test.ts'],
  extensionsToTreatAsEsm: ['.ts'],
  moduleNameMapper: { '^(\\.{1,2}/.*)\\.js$': '$1' },
  modulePathIgnorePatterns: ['<rootDir>/dist'],
  transform: {
    '^.+\\.ts$': [
      '@swc/jest',
      {
        jsc: {
          experimental: { keepImportAttributes: true },
          target: 'es2022',
          parser: { syntax: 'typescript', decorators: true },
          transform: { legacyDecorator: true, useDefineForClassFields: false },
        },
        module: { type: 'es6' },
      },
    ],
  },
  testTimeout: 180_000,
  // On two cores Jest would leave one idle; most of the time goes into programs that the tests start.
  maxWorkers: 2,
};
