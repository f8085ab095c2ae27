// Joins what tsc compiled into a few files below dist/program, with what V8 compiles of them: loading hundreds of small
// modules took most of the time of a short command, then compiling. Not minified: local-needle.js ships as the text of one
// of the functions (src/core/ship/runtime.ts).
import { execFileSync } from 'node:child_process';
import { basename, dirname, join, relative } from 'node:path';
import { fileURLToPath } from 'node:url';
import { copyFileSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { build, transform } from 'esbuild';
import { writeLicenses } from './licenses.mjs';

const root = dirname(dirname(fileURLToPath(import.meta.url)));
const dist = join(root, 'dist');

/** What class-validator's decorators that we use need of validator; the hundred others are left out. */
const validators = ['matches', 'isLength', 'isURL', 'toString'];
/** Loading these reads tables of Unicode, which takes 60 ms: they are loaded for what `simple` does not know. */
const late = {
  'string-width': `const simple = (text) => (typeof text === 'string' && /^[ -~]*$/.test(text) ? text.length : undefined)`,
  'wrap-ansi': `const simple = () => undefined`,
};
/** Half a megabyte of tables and tests that no call of ours reaches: reading it takes a good part of a short command. */
const withoutUnused = {
  name: 'without what is not used',
  setup(build) {
    build.onResolve({ filter: /^validator$|^validator\/(es\/)?lib\/|^libphonenumber-js/ }, ({ path, importer }) => {
      const name = path.split('/').pop().replace(/\.js$/, '');
      if (!/class-validator/.test(importer) || validators.includes(name)) return undefined;
      return { path: name, namespace: 'unused' };
    });
    // html-encoding-sniffer asks whatwg-encoding for names alone; what decodes is @exodus/bytes.
    build.onResolve({ filter: /^iconv-lite$/ }, ({ path, importer }) =>
      importer.includes('whatwg-encoding') ? { path, namespace: 'unused' } : undefined,
    );
    // It says on stderr where it gives up matching a value; such a value is "unknown" to us.
    build.onLoad({ filter: /csstree\.esm\.js$/ }, ({ path }) => ({
      contents: readFileSync(path, 'utf8').replace(/console\.warn\("\[csstree-match\][^)]*\)/, 'void 0'),
    }));
    // cli-table3 and cli-progress have versions of their own.
    build.onResolve({ filter: new RegExp(`^(${Object.keys(late).join('|')})$`) }, ({ path, namespace, resolveDir }) =>
      namespace === 'late' || resolveDir.includes('node_modules/cli-') ? undefined : { path, namespace: 'late' },
    );
    build.onLoad({ filter: /.*/, namespace: 'late' }, ({ path }) => ({
      contents: `${late[path]}; export default (...given) => simple(...given) ?? require('${path}').default(...given);`,
      resolveDir: root,
    }));
    build.onLoad({ filter: /.*/, namespace: 'unused' }, ({ path }) => ({
      contents: `module.exports = () => { throw new Error('${path} is not in the bundle: see tools/bundle.mjs'); };`,
    }));
  },
};

const outdir = join(dist, 'program');
rmSync(outdir, { recursive: true, force: true });
const program = await build({
  entryPoints: {
    'local-needle': join(dist, 'src/cli/main.js'),
    execute: join(dist, 'src/cli/execute.js'),
    api: join(dist, 'src/api.js'),
    'parallel-check-worker': join(dist, 'src/app/parallel-check-worker.js'),
    'compare-worker': join(dist, 'src/browser/compare-worker.js'),
  },
  outdir,
  bundle: true,
  splitting: true,
  format: 'esm',
  platform: 'node',
  // Packages' ES modules where they have them: what nobody uses of them is left out.
  mainFields: ['module', 'main'],
  target: 'node20',
  metafile: true,
  plugins: [withoutUnused],
  external: ['playwright-core'],
  // css-tree reads its data files at run time, but for the build that has them inside.
  alias: { 'css-tree': 'css-tree/dist/csstree.esm' },
  logLevel: 'warning',
  write: false,
});
// Each becomes the text of a function that src/load.ts calls; esbuild can split ES modules alone.
const parts = join(outdir, 'parts');
mkdirSync(parts, { recursive: true });
for (const { path, text } of program.outputFiles) {
  const { code } = await transform(text.replace(/^#!.*/, ''), {
    format: 'cjs',
    platform: 'node',
    target: 'node20',
    supported: { 'dynamic-import': false },
    define: {
      'import.meta.url': 'programUrl',
      'import.meta.filename': '__filename',
      'import.meta.dirname': '__dirname',
    },
    // The first three and the last two are what CommonJS packages expect.
    banner: '(function (exports, require, module, programUrl, __filename, __dirname) {',
    footer: '})',
  });
  // Not a copy with getters that look each name up: it takes a fiftieth of a check's time.
  const direct = code.replace(/__toCommonJS\((\w+)\);/, '__defProp($1, "__esModule", { value: true });');
  writeFileSync(join(parts, basename(path)), direct);
}
copyFileSync(join(dist, 'src/load.js'), join(outdir, 'load.js'));
writeFileSync(
  join(outdir, 'local-needle.js'),
  `#!/usr/bin/env node\nimport { load, takeProcess } from './load.js';\ntakeProcess();\nload('local-needle');\n`,
);
for (const name of ['parallel-check-worker', 'compare-worker'])
  writeFileSync(join(outdir, `${name}.js`), `import { load } from './load.js';\nload('${name}');\n`);
const { exports: names } = program.metafile.outputs[relative(process.cwd(), join(outdir, 'api.js'))];
writeFileSync(
  join(outdir, 'api.js'),
  `import { load } from './load.js';\nexport const { ${names.join(', ')} } = load('api');\n`,
);
// What runs in browsers.
const client = await build({
  entryPoints: [
    ...['page', 'panel', 'overview', 'looks'].map((name) => `preview/client/${name}.js`),
    'browser/client/page-clock.js',
  ].map((path) => ({ in: join(dist, 'src', path), out: path.replace(/client\/(.*)\.js$/, '$1') })),
  outdir,
  bundle: true,
  // Asked for in Node alone.
  external: ['util', 'timers', 'timers/promises'],
  minify: true,
  format: 'iife',
  target: 'es2022',
  metafile: true,
  logLevel: 'warning',
});
// What each command takes, so that completion need not load it (src/cli/complete.ts).
const { commands } = await import(join(dist, 'src/cli/commands.js'));
const { readOptions } = await import(join(dist, 'src/cli/complete.js'));
const options = {};
for (const name of Object.keys(commands)) options[name] = await readOptions(name);
writeFileSync(join(outdir, 'options.json'), JSON.stringify(options));
writeLicenses([program.metafile, client.metafile]);
// In a process without flags: code that was compiled with some is not taken without them.
execFileSync(process.execPath, [join(root, 'tools', 'compiled-code.mjs')], {
  env: { ...process.env, NODE_OPTIONS: '' },
  stdio: 'inherit',
});
