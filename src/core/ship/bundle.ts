import type { PathOptions } from '../page/path.js';
import type { FileUse } from '../action/action.js';
import { addressText } from '../target/run-time-addresses.js';
import { needleScript, type MinifyScript } from './script.js';
import type { Shipments } from './shipment.js';
import { stylesheet } from './stylesheet.js';
import { tasksOf, type Task } from './tasks.js';

/** Options of every form of build. */
export interface BuildForm {
  site: string;
  pathOptions: PathOptions;
  /** How the script is minified, the stylesheet too; null: not. */
  minify: MinifyScript | null;
  /** False where nothing may need local-needle.js: pictures are then swapped by CSS alone. */
  withScript: boolean;
  /** The shipped path of a project file, relative to the build's folder: `files/logo-3f2a9b.svg`. */
  shippedName: (file: FileUse) => string;
}

export interface BundleForm extends BuildForm {
  /** The file name of a text: its own, or one that changes with it. */
  nameOf: (name: string, text: string) => string;
}

/** What ships, as texts; nothing is written here. */
export interface Bundle {
  css: Output;
  /** Null where no rule needs a script. */
  js: Output | null;
  /** Files of the project that ship beside it, by their shipped name. */
  files: Map<string, Uint8Array>;
  /** Pages that can be matched only at run time. */
  atRunTime: string[];
}

export interface Output {
  name: string;
  text: string;
  map: string;
}

/** Shipped files of the project; records each one that is used. */
export function fileShipper(base: string, shippedName: (file: FileUse) => string) {
  const files = new Map<string, Uint8Array>();
  const served = (file: FileUse) => {
    if (!file.content) return file.url;
    const name = shippedName(file);
    files.set(name, file.content);
    return `${base}${name}${/[?#].*$/.exec(file.url)?.[0] ?? ''}`;
  };
  return { files, served };
}

/** Builds one stylesheet and one script for a site. */
export function buildBundle({ whole }: Pick<Shipments, 'whole'>, form: BundleForm): Bundle {
  const { files, served } = fileShipper('', form.shippedName);
  const tasks: Task[] = whole.rules.flatMap((shipped) => tasksOf(shipped, served));
  const addresses = whole.addresses.list;
  const styles = stylesheet(whole.rules, { ...form, minify: form.minify !== null, served, notes: true });
  const cssName = form.nameOf('local-needle.css', styles.text);
  const css = { name: cssName, ...annotated(styles, `/*# sourceMappingURL=${cssName}.map */`) };
  let js: Output | null = null;
  // aria-current is set where a script ships anyway.
  if (form.withScript && (tasks.some(({ current }) => !current) || addresses.length > 0)) {
    const script = needleScript(addresses, tasks, { ...form, sheetName: css.name });
    const jsName = form.nameOf('local-needle.js', script.text);
    js = { name: jsName, ...annotated(script, `//# sourceMappingURL=${jsName}.map`) };
  }
  return { css, js, files, atRunTime: addresses.map(addressText) };
}

const annotated = ({ text, map }: { text: string; map: string }, annotation: string) => ({
  text: `${text}${annotation}\n`,
  map,
});
