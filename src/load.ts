// Loads the parts of the program that tools/bundle.mjs wrote, with what V8 compiled of them when they were bundled: compiling
// them again took a third of a short command. Node.js takes such compiled code for CommonJS alone, and not by itself.
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { join } from 'node:path';
import { setFlagsFromString } from 'node:v8';
import { Script } from 'node:vm';

type Exports = Record<string, unknown>;

/** A part is the text of one function. */
type Part = (
  exports: Exports,
  require: (name: string) => unknown,
  module: { exports: Exports },
  programUrl: string,
  filename: string,
  folder: string,
) => void;

const folder = join(import.meta.dirname, 'parts');
const requireInstalled = createRequire(import.meta.url);
const loaded = new Map<string, { exports: Exports }>();

/**
 * Sets V8 for a process that runs nothing but this program. An object that V8 makes as an old one, since those before it lived
 * long, is found to be dead only when all memory is collected, and keeps what it leads to until then: whole pages of markup.
 */
export function takeProcess(): void {
  setFlagsFromString('--no-allocation-site-pretenuring');
}

/** The parts that were loaded, as V8 has compiled them, by name. */
export const scripts = new Map<string, Script>();

/** Loads the part `name`, if it was not loaded before, and returns what it exports. */
export function load(name: string): Exports {
  const known = loaded.get(name);
  if (known) return known.exports;
  const module: { exports: Exports } = { exports: {} };
  loaded.set(name, module);
  const file = join(folder, `${name}.js`);
  // Parts are written in ASCII.
  const script = new Script(readFileSync(file, 'latin1'), { filename: file, cachedData: compiledCode(name) });
  scripts.set(name, script);
  const require = (asked: string) => (asked.startsWith('./') ? load(asked.slice(2, -3)) : requireInstalled(asked));
  (script.runInThisContext() as Part)(
    module.exports,
    require,
    module,
    import.meta.url,
    import.meta.filename,
    import.meta.dirname,
  );
  return module.exports;
}

/** What was kept of a part's compiled code; V8 does without it where it is another version or was started with other flags. */
function compiledCode(name: string): Buffer | undefined {
  try {
    return readFileSync(join(folder, `${name}.compiled`));
  } catch {
    return undefined;
  }
}
