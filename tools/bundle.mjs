// Joins what tsc compiled into a few files below dist/program: loading hundreds of small modules took most of the time of
// a short command. Not minified: local-needle.js ships as the text of one of the functions (src/core/ship/runtime.ts).
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { build } from 'esbuild';
import { writeLicenses } from './licenses.mjs';

/** What class-validator's decorators that we use need of validator; the hundred others are left out. */
const validators = ['matches', 'isLength', 'isURL', 'toString'];
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
    build.onLoad({ filter: /.*/, namespace: 'unused' }, ({ path }) => ({
      contents: `module.exports = () => { throw new Error('${path} is not in the bundle: see tools/bundle.mjs'); };`,
    }));
  },
};

const dist = join(dirname(dirname(fileURLToPath(import.meta.url))), 'dist');
const outdir = join(dist, 'program');
rmSync(outdir, { recursive: true, force: true });
const program = await build({
  entryPoints: {
    'local-needle': join(dist, 'src/cli/main.js'),
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
  // Globals that CommonJS packages expect.
  define: { __filename: 'nodeFilename', __dirname: 'nodeDirname' },
  banner: {
    js: [
      "import { createRequire as nodeRequire } from 'node:module';",
      'const require = nodeRequire(import.meta.url);',
      'const nodeFilename = import.meta.filename ?? "", nodeDirname = import.meta.dirname ?? "";',
    ].join('\n'),
  },
});
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
