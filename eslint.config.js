import importX from 'eslint-plugin-import-x';
import { createNodeResolver } from 'eslint-plugin-import-x';
import tseslint from 'typescript-eslint';

const folders = ['project', 'capture', 'browser', 'report', 'preview', 'cli'];
/** Every folder may import core; core imports none of the others; only cli imports all of them. */
const zones = [
  {
    target: './src/core',
    from: [...folders.map((folder) => `./src/${folder}`), './demo', './bench'],
    message: 'core is computation only.',
  },
  ...folders
    .filter((folder) => folder !== 'cli')
    .map((folder) => ({
      target: `./src/${folder}`,
      from: folders.filter((other) => other !== folder).map((other) => `./src/${other}`),
      message: 'Only cli joins the folders; what two of them need belongs in core.',
    })),
];

export default tseslint.config(
  { ignores: ['dist', 'coverage', 'node_modules'] },
  ...tseslint.configs.recommended,
  {
    plugins: { 'import-x': importX },
    settings: { 'import-x/resolver-next': [createNodeResolver({ extensionAlias: { '.js': ['.ts', '.js'] } })] },
    linterOptions: { reportUnusedDisableDirectives: 'error' },
    rules: {
      'import-x/no-restricted-paths': ['error', { zones }],
      'import-x/no-cycle': 'error',
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
              regex: '^(node:|(fs|path|url|http|https|os|child_process)$|yargs|chalk|yaml|class-|playwright)',
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
  { files: ['src/core/build/runtime.ts'], rules: { 'no-restricted-globals': 'off' } },
);
