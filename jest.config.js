import { availableParallelism } from 'node:os';

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
          transform: { legacyDecorator: true, useDefineForClassFields: true },
        },
        module: { type: 'es6' },
      },
    ],
  },
  coverageProvider: 'v8',
  coverageReporters: ['text-summary'],
  // What runs in browsers and in programs of its own is not counted here.
  collectCoverageFrom: ['src/**/*.ts', '!src/preview/client/**', '!src/**/*.d.ts', '!src/cli/main.ts'],
  // The floor that CI holds, of the tests that wait for no browser (tools/test.mjs).
  coverageThreshold: { global: { lines: 85, branches: 84 } },
  // Not in the folder for temporary files, which is emptied after each run.
  cacheDirectory: '<rootDir>/node_modules/.cache/jest',
  testTimeout: 180_000,
  // One more than cores: a third of the time goes into waiting for programs and pages.
  maxWorkers: availableParallelism() + 1,
};
