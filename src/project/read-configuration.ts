import { isMap, LineCounter, parseDocument, type Document } from 'yaml';
import { suggestion } from '../core/nearest.js';
import type { SiteAcceptance } from '../core/check/input.js';
import { addressPattern, type PathOptions } from '../core/page/path.js';
import type { Viewport } from '../core/css/cascade/media.js';
import type { PageState } from '../core/page/state.js';
import { formExpression, type PageIdForm } from '../core/page/page-id.js';
import { ProblemError, type Place, type Problem } from '../core/place.js';
import {
  AllowSettings,
  Configuration,
  PageIdSettings,
  SiteSettings,
  StateSettings,
  ViewportSettings,
  VisitorSettings,
} from './configuration.js';
import { withSource } from './files.js';
import { checkedShape, type ShapeFault } from './shape.js';

/** A site as local-needle.yaml names it. */
export interface SiteSource {
  name: string;
  from: { kind: 'folder' | 'address' | 'har'; where: string };
  pathOptions: PathOptions;
  bundleAddress: string | null;
  /** Sent with every request to the site's origin; values may name environment variables. */
  headers: Record<string, string>;
  cookies: Record<string, string>;
  /** Paths that `capture` follows in spite of what their links look like, and paths that it never requests. */
  follow: string[];
  skip: string[];
  /** Addresses that `capture` fetches whatever links to them, and statuses besides 200 that make a page. */
  alsoCapture: string[];
  acceptStatus: number[];
  /** Hosts in private networks that stylesheets may come from. */
  alsoHosts: string[];
}

/** local-needle.yaml, read and checked. */
export interface Settings {
  sites: SiteSource[];
  /** Null: to be found on the pages. */
  forms: PageIdForm[] | null;
  rules: string[];
  /** Folder of files that are named after the page they are for, or null. */
  pageFiles: string | null;
  paths: 'handles' | 'run-time';
  /** Where the build's stylesheet is on a page. */
  place: 'head-end' | 'body-end';
  /** Whether files that CSS names are copied beside it, or its addresses left as they are written. */
  files: 'copy' | 'leave';
  /** The first is the default. Sizes in CSS pixels. */
  /** The first is the default; there is at least one. */
  viewports: Viewport[];
  states: Record<string, PageState>;
  visitors: Record<string, VisitorSettings>;
  /** Findings about a site that are accepted. */
  allow: SiteAcceptance[];
  /** Where an entry is in local-needle.yaml. */
  placeOf: (keys: string[]) => Place;
}

/** Reads the text of local-needle.yaml. Throws ProblemError with every fault that it has. */
export function readConfiguration(text: string, file: string): Settings {
  const lines = new LineCounter();
  const document = parseDocument(text, { lineCounter: lines, prettyErrors: false });
  const placeOf = (offset: number): Place => {
    const { line, col } = lines.linePos(offset);
    return { file, line, column: col };
  };
  const syntax: Problem[] = document.errors.map((error) => ({
    message: `${file} is not valid YAML: ${error.message.replace(/ at line .*$/s, '')}`,
    at: placeOf(error.pos[0]),
    hint: 'Check the indentation, quotes and brackets there.',
  }));
  if (syntax.length > 0) throw new ProblemError(withSource(syntax, text));
  const { configuration, faults } = checkedConfiguration(plainValue(document, file));
  if (faults.length > 0) {
    const problems = faults.map(({ keys, message, hint, unknownKey }) => ({
      message,
      hint,
      at: placeOf(offsetOf(document, keys, unknownKey)),
    }));
    throw new ProblemError(withSource(problems, withoutPasswords(text)));
  }
  return settingsOf(configuration, (keys) => placeOf(offsetOf(document, keys, true)));
}

/** Values inside of one another in local-needle.yaml; nothing in it is deeper than a few. */
const mostDepth = 20;

/** The YAML as plain values. Throws ProblemError where aliases make it endless, or far larger than its text. */
function plainValue(document: Document, file: string): unknown {
  const refuse = (message: string) => {
    throw new ProblemError([
      { message: `${file} ${message}`, hint: 'Write the values out instead of using aliases (*name).' },
    ]);
  };
  let value: unknown;
  try {
    value = document.toJS({ maxAliasCount: 100 });
  } catch (error) {
    return refuse(`cannot be read: ${(error as Error).message}`);
  }
  const isTooDeep = (part: unknown, depth: number): boolean =>
    typeof part === 'object' &&
    part !== null &&
    (depth > mostDepth || Object.values(part).some((each) => isTooDeep(each, depth + 1)));
  return isTooDeep(value, 0)
    ? refuse(`has values more than ${mostDepth} deep, or an alias that contains itself`)
    : value;
}

/** A text for messages, without the user names and passwords in its addresses. */
const withoutPasswords = (text: string) => text.replace(/(https?:\/\/)[^\s/?#"'@]*@/g, '$1…@');

/** Where an entry is in the YAML: its value, or its key if that is at fault, or the nearest thing around it. */
function offsetOf(document: Document, keys: string[], unknownKey: boolean): number {
  const parent = keys.length > 1 ? document.getIn(keys.slice(0, -1), true) : document.contents;
  const pair = isMap(parent) ? parent.items.find((item) => String(item.key) === keys.at(-1)) : undefined;
  const node = (unknownKey ? pair?.key : (pair?.value ?? pair?.key)) as
    { range?: [number, number, number] } | undefined;
  if (node?.range) return node.range[0];
  return keys.length > 1 ? offsetOf(document, keys.slice(0, -1), true) : (document.contents?.range?.[0] ?? 0);
}

const entries = (value: unknown): [string, unknown][] =>
  typeof value === 'object' && value !== null && !Array.isArray(value) ? Object.entries(value) : [];

/** The entries of a map, each as an object of the class that describes it. */
function checkedEntries<T extends object>(shape: new () => T, map: unknown, key: string, faults: ShapeFault[]) {
  return Object.fromEntries(
    entries(map).map(([name, value]): [string, T] => {
      const checked = checkedShape(shape, value, [key, name]);
      faults.push(...checked.faults);
      return [name, checked.instance];
    }),
  );
}

/** local-needle.yaml as an object of the class that describes it, its entries too, with everything that is wrong with it. */
function checkedConfiguration(value: unknown): { configuration: Configuration; faults: ShapeFault[] } {
  const { instance, faults } = checkedShape(Configuration, value);
  const configuration: Configuration = { ...instance };
  const wrong = (keys: string[], message: string, hint?: string) =>
    faults.push({ keys, message, hint, unknownKey: false });
  configuration.sites = checkedEntries(SiteSettings, instance.sites, 'sites', faults);
  for (const key of ['sites', 'viewports', 'states', 'visitors'] as const)
    for (const [name] of entries(instance[key]))
      if (!/^[A-Za-z_][\w-]*$/.test(name))
        wrong(
          [key, name],
          `${JSON.stringify(name)} is not a valid name`,
          'A name is letters, digits, hyphens and underscores, such as live.',
        );
  for (const [name, site] of Object.entries(configuration.sites)) {
    const sources = [site.folder, site.address, site.har].filter((each) => each !== undefined);
    if (sources.length !== 1)
      wrong(
        ['sites', name],
        `The site "${name}" needs one of folder, address or har`,
        'Say where its pages come from, such as { folder: public }.',
      );
  }
  if (instance.sites !== undefined && Object.keys(configuration.sites).length === 0)
    wrong(['sites'], 'No site is configured', 'Add one, such as live: { folder: public }.');
  const isList = Array.isArray(instance['page-id']);
  const forms = listOf(instance['page-id']).map((form, index) =>
    checkedShape(PageIdSettings, form, isList ? ['page-id', String(index)] : ['page-id']),
  );
  faults.push(...forms.flatMap((form) => form.faults));
  configuration['page-id'] = forms.map((form) => form.instance);
  const allowed = (Array.isArray(instance.allow) ? instance.allow : []).map((each, index) =>
    checkedShape(AllowSettings, each, ['allow', String(index)]),
  );
  faults.push(...allowed.flatMap((each) => each.faults));
  allowed.forEach(({ instance: { at } }, index) => {
    if (at !== undefined && faultOfPattern(at))
      wrong(['allow', String(index), 'at'], `"${at}" is not a valid pattern`, 'Write it as "/old/*".');
  });
  configuration.allow = allowed.map((each) => each.instance);
  configuration.viewports = Object.fromEntries(
    entries(instance.viewports).map(([name, value]): [string, ViewportSettings] => {
      const isLong = typeof value === 'object';
      const checked = checkedShape(ViewportSettings, isLong ? value : { size: String(value) }, ['viewports', name]);
      if (isLong) faults.push(...checked.faults);
      else if (checked.faults.length > 0)
        wrong(
          ['viewports', name],
          `"${name}" must be a width and a height in pixels`,
          'Write it as 1280x800, or as { size: 390x844, touch: true }.',
        );
      return [name, checked.instance];
    }),
  );
  configuration.states = checkedEntries(StateSettings, instance.states, 'states', faults);
  configuration.visitors = checkedEntries(VisitorSettings, instance.visitors, 'visitors', faults);
  return { configuration, faults };
}

function faultOfPattern(text: string): boolean {
  try {
    addressPattern(text);
    return false;
  } catch {
    return true;
  }
}

const listOf = <T>(value: T | T[] | undefined): T[] =>
  value === undefined ? [] : Array.isArray(value) ? value : [value];

/** What is not given is left out, so that viewports of one size are the same in keys. */
function viewportOf(name: string, settings: string | ViewportSettings): Viewport {
  const { size, touch, contrast, motion, media, ...others } =
    typeof settings === 'string' ? { size: settings } : settings;
  const [width = 0, height = 0] = size.split('x').map(Number);
  const more = {
    ...{ touch, contrast, motion, media },
    ...{ pixelRatio: others['pixel-ratio'], colorScheme: others['color-scheme'] },
  };
  const given = Object.fromEntries(Object.entries(more).filter(([, each]) => each !== undefined)) as typeof more;
  return { name, width, height, ...given };
}

function settingsOf(value: Configuration, placeOf: Settings['placeOf']): Settings {
  const forms = listOf(value['page-id']).map(({ in: place, attribute, like }): PageIdForm => ({
    in: place,
    attribute,
    like,
  }));
  forms.forEach(({ like }) => formExpression(like));
  const viewports = Object.entries(value.viewports ?? {}).map(([name, settings]): Viewport =>
    viewportOf(name, settings),
  );
  if (viewports.length === 0) viewports.push({ name: 'desktop', width: 1280, height: 800 });
  return {
    sites: Object.entries(value.sites).map(([name, site]) => {
      const kind = site.folder !== undefined ? 'folder' : site.har !== undefined ? 'har' : 'address';
      return {
        name,
        from: { kind, where: site[kind] ?? '' },
        pathOptions: { dropExtension: site['drop-extension'], queryKeys: site['query-keys'] },
        bundleAddress: site['bundle-address'] ?? null,
        ...{
          headers: site.headers ?? {},
          cookies: site.cookies ?? {},
          follow: site.follow ?? [],
          skip: site.skip ?? [],
        },
        ...{
          alsoCapture: site['also-capture'] ?? [],
          acceptStatus: site['accept-status'] ?? [],
          alsoHosts: site['also-hosts'] ?? [],
        },
      };
    }),
    forms: forms.length > 0 ? forms : null,
    rules: listOf(value.rules ?? 'rules/**/*.css'),
    pageFiles: value['page-files'] ?? null,
    paths: value.paths ?? 'handles',
    place: value.place ?? 'head-end',
    files: value.files ?? 'copy',
    viewports,
    states: Object.fromEntries(Object.entries(value.states ?? {}).map(([name, state]) => [name, pageState(state)])),
    visitors: value.visitors ?? {},
    allow: (value.allow ?? []).map(({ code, at, reason }) => {
      const test = at === undefined ? () => true : addressPattern(at);
      return {
        code,
        reason,
        covers: ({ address, page }) => [address, page].some((each) => typeof each === 'string' && test(each)),
      };
    }),
    placeOf,
  };
}

function pageState(state: StateSettings): PageState {
  const pairs = (map: Record<string, string> | undefined) => Object.entries(map ?? {});
  return {
    addClass: pairs(state['add-class']),
    removeClass: pairs(state['remove-class']),
    pseudoClass: pairs(state['pseudo-class']),
  };
}

/** The site of this name, or the first. Throws ProblemError if there is none of that name. */
export function chosenSite(settings: Settings, name: string | undefined): SiteSource {
  const site = name === undefined ? settings.sites[0] : settings.sites.find((each) => each.name === name);
  if (site) return site;
  throw new ProblemError([
    {
      message: `No site is configured "${name}" in local-needle.yaml`,
      hint: suggestion(
        name ?? '',
        settings.sites.map((each) => each.name),
      ),
    },
  ]);
}
