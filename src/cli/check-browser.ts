import mime from 'mime';
import { judgeInBrowser, type BrowserSource } from '../browser/judge.js';
import { launchChromium } from '../browser/render.js';
import type { SiteContent } from '../capture/site-content.js';
import { buildBundle, type Bundle } from '../core/build/bundle.js';
import { prepareShipments } from '../core/build/shipment.js';
import type { CheckInput } from '../core/check/plan.js';
import type { Cell } from '../core/check/verdict.js';
import type { View } from '../core/page/view.js';
import type { Project } from '../project/project.js';
import type { SiteSource } from '../project/read-configuration.js';
import { visitorHeaders } from '../project/visitor.js';
import { count } from '../report/text.js';
import { shippedName } from './shipped-name.js';

/** Judges the cells of a check in Chromium: captured pages, with the scripts and pictures of the folder or the running site. */
export async function inBrowser(
  project: Project,
  source: SiteSource,
  content: SiteContent,
  input: CheckInput,
  log: (text: string) => void,
): Promise<Cell[]> {
  const browser = await launchChromium();
  try {
    const cells = await judgeInBrowser(
      browser,
      input,
      bundleMaker(input, source),
      browserSource(project, source, content),
    );
    log(`Chromium ${browser.version()} judged ${count(cells.length, 'cell')} of ${content.site.name}.`);
    return cells;
  } finally {
    await browser.close();
  }
}

/** Makes the bundle of a view's pages, once for each view. */
export function bundleMaker(input: CheckInput, { pathOptions }: SiteSource): (view: View) => Bundle {
  const made = new Map<View, Bundle>();
  return (view) => {
    const known = made.get(view);
    if (known) return known;
    const { site, open } = view;
    const form = { site: site.name, pathOptions, minify: false, withScript: true, shippedName };
    const bundle = buildBundle(prepareShipments({ ...input, site, open }), { ...form, nameOf: (name) => name });
    made.set(view, bundle);
    return bundle;
  };
}

/** What pages in Chromium may load beside what was captured. */
export function browserSource(project: Project, source: SiteSource, content: SiteContent): BrowserSource {
  return {
    live: source.from.kind === 'address',
    scripts: true,
    headers: (visitor) => (visitor === null ? {} : visitorHeaders(project.settings, visitor, process.env)),
    file(address) {
      const body = content.file(address);
      return (
        body && { body: Buffer.from(body), type: mime.getType(new URL(address).pathname) ?? 'application/octet-stream' }
      );
    },
  };
}
