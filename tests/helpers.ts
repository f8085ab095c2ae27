import { execFile } from 'node:child_process';
import { mkdirSync, mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { chromiumPath } from '../src/browser/chromium.js';
import { buildBundle } from '../src/core/build/bundle.js';
import { prepareShipments, type ShipmentInput } from '../src/core/build/shipment.js';
import { assembleSite } from '../src/capture/site-content.js';
import type { CheckInput } from '../src/core/check/plan.js';
import { readOpening } from '../src/core/page/opening.js';
import { readRuleFile } from '../src/project/rule-file.js';
import type { FileUse } from '../src/core/rule/rule.js';

/** What a run of the built program gave. */
export interface Run {
  status: number;
  out: string;
  log: string;
}

const program = join(process.cwd(), 'dist/program/local-needle.js');

/** Runs the built program in a folder. */
export function run(directory: string, words: string[], environment: Record<string, string> = {}): Promise<Run> {
  return new Promise((done) => {
    const options = { cwd: directory, env: { ...process.env, ...environment }, maxBuffer: 64 * 1024 * 1024 };
    execFile(process.execPath, [program, ...words], options, (error, out, log) => {
      done({ status: error ? Number(error.code) : 0, out, log });
    });
  });
}

/** Makes a temporary folder with these files. */
export function folderWith(files: Record<string, string | Uint8Array>): string {
  const directory = mkdtempSync(join(tmpdir(), 'needle-test-'));
  for (const [name, content] of Object.entries(files)) {
    mkdirSync(dirname(join(directory, name)), { recursive: true });
    writeFileSync(join(directory, name), content);
  }
  return directory;
}

/** A page of the usual form. */
export const pageHtml = (bodyAttributes: string, inside = '', title = 'Saltmere') =>
  `<!DOCTYPE html><html><head><meta charset="utf-8"><title>${title}</title></head><body ${bodyAttributes}>${inside}</body></html>`;

/** A small project: three pages and the rule file given. */
export function smallProject(rules: string, more: Record<string, string | Uint8Array> = {}): string {
  return folderWith({
    'local-needle.yaml': 'version: 1\nsites: { live: { folder: public } }\n',
    'rules/a.css': rules,
    'public/index.html': pageHtml(
      'class="page-1 home"',
      '<header class="masthead"><img class="logo" src="/l.svg"></header><p class="x">a</p><p class="x">b</p>',
    ),
    'public/tickets/pay.html': pageHtml(
      'id="pay" class="page-46 section-tickets"',
      '<header class="masthead"></header><div class="promo-field">c</div>',
    ),
    'public/legal/index.html': pageHtml('', '<header class="masthead"></header>'),
    ...more,
  });
}

/** `describe` for tests that need Chromium: they fail without one where CI=true, and are skipped elsewhere. */
export const describeInBrowser: typeof describe =
  chromiumPath() === null && process.env['CI'] !== 'true' ? (describe.skip as typeof describe) : describe;

/** The bundle of some rules, as `build` makes it. */
export const bundleOf = (input: ShipmentInput, shippedName: (file: FileUse) => string = () => '') =>
  buildBundle(prepareShipments(input), {
    ...{ site: input.site.name, pathOptions: {}, minify: false, withScript: true, shippedName },
    nameOf: (name) => name,
  });

/** A site of these pages (bodies of documents), and a check of these rules on it. */
export function siteOf(bodies: Record<string, string>, ruleText: string, file = 'a.css') {
  const forms = [{ in: 'body-class' as const, like: 'page-{id}' }];
  const html = new Map(
    Object.entries(bodies).map(([path, body]) => [path, `<!doctype html><html><head></head>${body}`]),
  );
  const content = assembleSite(
    'live',
    [...html].map(([path, text]) => ({
      ...{ path, url: `http://saltmere.example${path}`, file: path, identity: null },
      opening: readOpening(text),
    })),
    forms,
    [],
    {
      html: ({ path }) => html.get(path) ?? '',
      ...{ style: () => null, file: () => null, policy: () => null, pathOptions: {} },
    },
  );
  const read = readRuleFile(ruleText, file, file, (_from, url, at) => ({
    use: { url, at, path: null, content: null },
    fault: null,
  }));
  if (read.problems.length > 0) throw new Error(JSON.stringify(read.problems));
  const input: CheckInput = {
    ...{ rules: read.rules, guards: read.guards, expectations: read.expectations, others: [], findings: read.findings },
    ...{ paths: 'handles', place: 'head-end', viewport: 'desktop', state: null, visitor: null, loading: null },
    viewports: [{ name: 'desktop', width: 1280, height: 800 }],
    ...{ states: {}, visitors: [], today: '2026-11-23' },
    view: (visitor) => (visitor === null ? content : null),
  };
  return { input, site: content.site, view: content };
}
