import mime from 'mime';
import { judgeInBrowser, type BrowserCheck, type BrowserJudgement, type BrowserSource } from '../browser/judge.js';
import { launchChromium } from '../browser/render.js';
import { buildBundle, type Bundle } from '../core/ship/bundle.js';
import { prepareShipments } from '../core/ship/shipment.js';
import type { CheckInput } from '../core/check/input.js';
import tables from '../core/css/browser-tables.json' with { type: 'json' };
import type { View } from '../core/page/view.js';
import { requestHeaders } from '../project/visitor.js';
import { count } from '../report/text.js';
import type { OpenedCheck } from './check-input.js';
import { shippedName } from '../app/shipped-name.js';

/** Judges cells of a check in Chromium: captured pages, with the scripts and pictures of the folder or the running site. */
export async function inBrowser(
  opened: OpenedCheck,
  wanted: Pick<BrowserCheck, 'timeoutMs' | 'isWanted'>,
  log: (text: string) => void,
): Promise<BrowserJudgement> {
  const browser = await launchChromium();
  try {
    const { input } = opened;
    const own = { input, bundleFor: bundleMaker(opened), source: browserSource(opened) };
    const judged = await judgeInBrowser(browser, { ...own, ...wanted });
    log(`Chromium ${browser.version()} judged ${count(judged.cells.length, 'cell')} of ${opened.content.site.name}.`);
    const other = otherChromium(browser.version());
    if (other !== null) log(other);
    return judged;
  } finally {
    await browser.close();
  }
}

/** What to say where a browser is of another version than the one that the tables were made from; null where it is the same. */
export function otherChromium(version: string): string | null {
  const major = (text: string) => text.split('.', 1)[0];
  return major(version) === major(tables.chromium)
    ? null
    : `The static check knows the properties and selectors of Chromium ${tables.chromium}. Verdicts that differ may come from that.`;
}

/** Makes the bundle of a view's pages, once for each view. */
export function bundleMaker({
  input,
  source,
  learnt,
}: Pick<OpenedCheck, 'source' | 'learnt'> & { input: CheckInput }): (view: View) => Bundle {
  const { pathOptions } = source;
  const made = new Map<View, Bundle>();
  return (view) => {
    const known = made.get(view);
    if (known) return known;
    const { site } = view;
    const form = { site: site.name, pathOptions, minify: null, withScript: true, shippedName };
    const bundle = buildBundle(prepareShipments({ ...input, ...view, learnt }), { ...form, nameOf: (name) => name });
    made.set(view, bundle);
    return bundle;
  };
}

/** What pages in Chromium may load beside what was captured. */
export function browserSource({
  project,
  source,
  content,
}: Pick<OpenedCheck, 'project' | 'source' | 'content'>): BrowserSource {
  return {
    live: source.from.kind === 'address',
    scripts: true,
    headers: (visitor) => requestHeaders(project.settings, source, visitor, process.env),
    file(address) {
      const body = content.file(address);
      return (
        body && { body: Buffer.from(body), type: mime.getType(new URL(address).pathname) ?? 'application/octet-stream' }
      );
    },
  };
}
