import importX from 'eslint-plugin-import-x';
import { createNodeResolver } from 'eslint-plugin-import-x';
import tseslint from 'typescript-eslint';

const folders = ['disk', 'project', 'capture', 'browser', 'report', 'app', 'preview', 'editor', 'cli'];
/** What each folder may import beside core; core imports none of them. */
const allowed = {
  core: [],
  disk: [],
  project: ['disk'],
  capture: ['disk'],
  browser: [],
  report: [],
  app: ['disk', 'project', 'capture', 'browser', 'report'],
  preview: ['app'],
  editor: ['app', 'project'],
  cli: ['app', 'disk', 'project', 'capture', 'browser', 'report', 'preview', 'editor'],
};
const zones = Object.entries(allowed).map(([target, others]) => ({
  target: `./src/${target}`,
  from: [
    ...folders.filter((folder) => folder !== target && !others.includes(folder)).map((folder) => `./src/${folder}`),
    ...(target === 'cli' || target === 'editor' ? [] : ['./demo']),
    './bench',
  ],
  message: 'core is computation only; only app joins the folders; cli, preview and editor stand on app.',
}));

export default tseslint.config(
  { ignores: ['dist', 'coverage', 'node_modules'] },
  ...tseslint.configs.recommended,
  {
    files: ['src/**/*.ts'],
    languageOptions: { parserOptions: { project: './tsconfig.lint.json' } },
    rules: {
      // With a default branch, as for the node types of a parser, all others are meant.
      '@typescript-eslint/switch-exhaustiveness-check': ['error', { considerDefaultExhaustiveForUnions: true }],
      '@typescript-eslint/no-floating-promises': 'error',
      '@typescript-eslint/no-misused-promises': 'error',
      '@typescript-eslint/await-thenable': 'error',
      '@typescript-eslint/only-throw-error': 'error',
    },
  },
  {
    plugins: { 'import-x': importX },
    settings: { 'import-x/resolver-next': [createNodeResolver({ extensionAlias: { '.js': ['.ts', '.js'] } })] },
    linterOptions: { reportUnusedDisableDirectives: 'error' },
    rules: {
      'import-x/no-restricted-paths': ['error', { zones }],
      'import-x/no-cycle': ['error', { ignoreExternal: true }],
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_' }],
      eqeqeq: 'error',
    },
  },
  {
    files: ['src/core/**/*.ts'],
    rules: {
      'no-restricted-imports': [
        'error',
        {
          patterns: [
            {
              regex:
                '^(node:|(fs|path|url|http|https|os|child_process)$|yargs|chalk|yaml|class-transformer|playwright)',
              message: 'core is computation only.',
            },
          ],
        },
      ],
      'no-restricted-globals': ['error', 'console', 'process', 'fetch', 'Buffer', 'setTimeout', 'require'],
      'no-restricted-properties': [
        'error',
        { object: 'Date', property: 'now', message: 'core gets its clock as an argument.' },
      ],
      'no-restricted-syntax': [
        'error',
        {
          selector: "NewExpression[callee.name='Date'][arguments.length=0]",
          message: 'core gets its clock as an argument.',
        },
      ],
    },
  },
  // needle.js itself: the one part of core that runs in a browser.
  { files: ['src/core/ship/runtime.ts'], rules: { 'no-restricted-globals': 'off' } },
);
