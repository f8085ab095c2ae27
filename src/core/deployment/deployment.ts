import type { DefaultTreeAdapterTypes as Tree } from 'parse5';
import { anyBegin, sheetMark } from '../page/build-comments.js';
import type { Action } from '../action/action.js';
import { actionKind } from '../action/index.js';
import { addressesOf, needsAddress } from '../target/scope.js';
import { compileSheet } from '../css/cascade/sheet.js';
import { longhandsNamed } from '../css/declaration.js';
import { attribute, type Element } from '../page/document.js';
import { textOf } from '../page/query.js';
import { baseAddress } from '../page/location.js';
import type { Page } from '../page/page.js';
import { pageAddress, type View } from '../page/view.js';
import type { Rule } from '../rule/rule.js';
import { textSignature } from '../signature.js';
import { finding, type Finding, type FindingCode } from '../finding.js';
import type { OpenedPage } from '../check/opened-page.js';
import type { CompiledAction } from '../action/compiled.js';
import { hasStyles } from '../ship/stylesheet.js';
import { forbiddenBy, forbidsHtml, policiesOf, type Asked } from './policy.js';

/** Where a site serves the bundle, and the bundle that today's rules give. */
export interface Loading {
  /** As local-needle.yaml gives it: `/assets/local-needle.css`. */
  address: string;
  /** File names and texts of today's build, in each of the ways that it can be written; made only when asked for. */
  built: () => { names: string[]; texts: string[] };
}

/** An error in how pages load the build, reported once for all affected pages. */
export interface LoadingFault {
  code: FindingCode;
  text: string;
  hint: string;
}

/** How one page loads the build. */
export interface PageLoading {
  faults: LoadingFault[];
  /** The absolute address of the stylesheet of ours that it loads. */
  css: string | null;
}

/** Checks how the pages of a view load the build. */
export function startLoading(view: View, rules: Rule[], address: string, paths: 'handles' | 'run-time') {
  // Rules with a page that only local-needle.js can match.
  const runTime = new Set(rules.filter((rule) => addressesOf(rule, view.site, paths).length > 0));
  const longhandsKnown = new Map<string, Set<string>>();
  const longhandsOfSheet = (text: string) => {
    const known = longhandsKnown.get(text) ?? longhandsIn(text);
    longhandsKnown.set(text, known);
    return known;
  };
  const asksForScript = (page: Page, shipped: CompiledAction[]) =>
    shipped.some(({ action }) => needsOwnScript(action)) ||
    (shipped.some(({ action }) => marksLinks(action)) && needsAddress(page, view.site, paths)) ||
    shipped.some(({ owner }) => runTime.has(owner.rule));
  /** Everything in what ships to a page on which its loading depends. */
  const signature = (page: Page, shipped: CompiledAction[]): string =>
    textSignature(
      JSON.stringify([
        asksForScript(page, shipped),
        shipped.some(({ action }) => hasStyles(action)),
        shipped.flatMap(({ action }) => actionKind(action).loads(action)),
        [...longhandsShipped(shipped)].sort(),
      ]),
    );
  const loadingOf = (page: Page, look: OpenedPage, shipped: CompiledAction[]): PageLoading => {
    const actions = shipped.map(({ action }) => action);
    const needsScript = asksForScript(page, shipped);
    const parts = partsOf(look, view, address);
    const faults = [
      ...notLoaded(parts, needsScript, actions),
      ...loadedTooEarly(parts, look, view, shipped, longhandsOfSheet),
      ...blocked(parts, page, view, actions, needsScript),
    ];
    return { faults, css: parts.css?.address ?? null };
  };
  return { signature, loadingOf };
}

const longhandsShipped = (shipped: CompiledAction[]) =>
  new Set(shipped.flatMap(({ rules }) => rules.flatMap(({ declarations }) => longhandsNamed(declarations))));

const needsOwnScript = (action: Action) => actionKind(action).needsScript(action);
const marksLinks = (action: Action) => actionKind(action).scope === 'links';

const longhandsIn = (text: string) =>
  new Set(compileSheet(text).rules.flatMap(({ declarations }) => longhandsNamed(declarations)));

/** An element of a page that loads or holds styles or scripts. */
interface Part {
  element: Element;
  inBody: boolean;
  /** Absolute; null for what is in the page itself. */
  address: string | null;
  text: string;
  ours: boolean;
}

interface Parts {
  /** The addresses where the build should be. */
  wanted: { css: string; js: string };
  shown: { css: string; js: string };
  css: Part | undefined;
  js: Part | undefined;
  /** All stylesheets in the order of the source. */
  sheets: Part[];
  /** Those of its header and those in it. */
  policies: string[];
}

function partsOf({ page, document }: OpenedPage, view: View, bundleAddress: string): Parts {
  const [own, base] = [pageAddress(page), baseAddress(page, document)];
  const wanted = { css: new URL(bundleAddress, own).href, js: '' };
  wanted.js = wanted.css.replace(/\.css$/, '.js');
  const shownJs = bundleAddress.replace(/\.css$/, '.js');
  const sheets: Part[] = [];
  const scripts: Part[] = [];
  const partOf = (element: Element, inBody: boolean, href: string | undefined, target: string): Part => {
    const address = href !== undefined && URL.canParse(href, base) ? new URL(href, base).href : null;
    const text =
      href === undefined ? textOf(element) : (element.tagName === 'link' && address && view.style(address)?.text) || '';
    return {
      element,
      inBody,
      address,
      text,
      ours: (address !== null && isBuild(address, target)) || text.includes(anyBegin),
    };
  };
  const visit = (node: Tree.ParentNode, inBody: boolean) => {
    for (const child of node.childNodes) {
      if (!('tagName' in child)) continue;
      const { tagName } = child;
      const rel = attribute(child, 'rel') ?? '';
      if (tagName === 'style') sheets.push(partOf(child, inBody, undefined, wanted.css));
      else if (tagName === 'link' && /(^|\s)stylesheet(\s|$)/i.test(rel) && attribute(child, sheetMark) === undefined)
        sheets.push(partOf(child, inBody, attribute(child, 'href') ?? '', wanted.css));
      else if (tagName === 'script') scripts.push(partOf(child, inBody, attribute(child, 'src'), wanted.js));
      visit(child, inBody || tagName === 'body');
    }
  };
  visit(document.root, false);
  const last = (parts: Part[]) => parts.filter(({ ours }) => ours).pop();
  const shown = { css: bundleAddress, js: shownJs };
  const policies = policiesOf(view.policy(page), document.root);
  return { wanted, shown, css: last(sheets), js: last(scripts), sheets, policies };
}

/** Whether an address is that of the build, by its own name or one that changes with its content. */
function isBuild(address: string, wanted: string): boolean {
  const plain = (text: string) => text.replace(/^https?:/, '').replace(/[?#].*$/, '');
  const [path, ending] = [plain(wanted).replace(/\.\w+$/, ''), /\.\w+$/.exec(wanted)?.[0] ?? ''];
  const given = plain(address);
  if (given === plain(wanted)) return true;
  return (
    given.startsWith(`${path}-`) &&
    /^[0-9a-f]{8}$/.test(given.slice(path.length + 1, -ending.length)) &&
    given.endsWith(ending)
  );
}

function notLoaded({ css, js, shown }: Parts, needsScript: boolean, actions: Action[]): LoadingFault[] {
  const styled = actions.some(hasStyles);
  const missing = [...(styled && !css ? [shown.css] : []), ...(needsScript && !js ? [shown.js] : [])];
  return missing.map((file) => ({
    code: 'not-loaded',
    text: `${file} is not loaded`,
    hint: file.endsWith('.js')
      ? `Add <script src="${file}"></script> after the stylesheet, at the end of head.`
      : `Add <link rel="stylesheet" href="${file}"> at the end of head, or remove bundle-address from local-needle.yaml.`,
  }));
}

/** Stylesheets after the build that set what it sets. */
function loadedTooEarly(
  { css, sheets }: Parts,
  look: OpenedPage,
  view: View,
  shipped: CompiledAction[],
  longhandsOfSheet: (text: string) => Set<string>,
): LoadingFault[] {
  if (!css) return [];
  // The verdicts were made for the end of head: what is in the body comes after it anyway.
  const later = sheets.slice(sheets.indexOf(css) + 1).filter(({ ours, inBody }) => !ours && inBody === css.inBody);
  const own = longhandsShipped(shipped);
  return later.flatMap(({ address, text, element }) => {
    if (/^print$/i.test(attribute(element, 'media') ?? '')) return [];
    const both = [...longhandsOfSheet(text)].filter((longhand) => own.has(longhand));
    if (both.length === 0) return [];
    const name = address === null ? 'a <style> of the page' : (view.style(address)?.file ?? address);
    return [
      {
        code: 'load-order',
        text: `The build is loaded before ${name}, which sets ${both.slice(0, 3).join(', ')} too`,
        hint: 'Load the build last in head. The verdicts assume that.',
      } satisfies LoadingFault,
    ];
  });
}

/** Findings for files that browsers would not load: http on an https page, or forbidden by the page's policy. */
function blocked(
  { css, js, wanted, policies }: Parts,
  page: Page,
  view: View,
  actions: Action[],
  needsScript: boolean,
): LoadingFault[] {
  const own = pageAddress(page);
  const loads = actions.flatMap((action) => actionKind(action).loads(action));
  const nonceOf = (part: Part | undefined) => part && attribute(part.element, 'nonce');
  const asked: (Asked & { what: string })[] = [
    { kind: 'style', address: css ? css.address : wanted.css, nonce: nonceOf(css), what: 'the stylesheet' },
    ...(needsScript
      ? [{ kind: 'script', address: js ? js.address : wanted.js, nonce: nonceOf(js), what: 'local-needle.js' } as const]
      : []),
    ...loads.flatMap((load): (Asked & { what: string })[] =>
      load.kind === 'html'
        ? []
        : [
            {
              kind: load.kind,
              address: load.address === null ? wanted.css : new URL(load.address, own).href,
              what: load.shown,
            },
          ],
    ),
  ];
  const faults: LoadingFault[] = [];
  for (const each of asked) {
    if (own.startsWith('https:') && each.address?.startsWith('http:'))
      faults.push({
        code: 'mixed-content',
        text: `${each.what} is loaded over http, which browsers block on an https page`,
        hint: `Serve it over https: ${each.address.replace(/^http:/, 'https:')}`,
      });
    const by = policies.flatMap((policy) => forbiddenBy(policy, each, own) ?? [])[0];
    if (by === undefined) continue;
    const from = each.address === null ? "'unsafe-inline', or a nonce" : new URL(each.address).origin;
    faults.push({
      code: 'csp',
      text: `The page's Content-Security-Policy (${by}) forbids ${each.what}${each.address === null ? ' that is inline' : ''}`,
      hint: `Add ${from === new URL(own).origin ? "'self'" : from} to that directive.`,
    });
  }
  if (loads.some(({ kind }) => kind === 'html') && policies.some(forbidsHtml))
    faults.push({
      code: 'csp',
      text: "The page's Content-Security-Policy (require-trusted-types-for 'script') forbids swapping HTML",
      hint: 'Swap text (text: "…") instead, or remove that directive.',
    });
  return faults;
}

/** The findings on how pages load the build, each with all its pages. */
export function loadingFindings(pages: Map<Page, PageLoading>, loading: Loading, style: View['style']): Finding[] {
  const groups = new Map<string, { fault: LoadingFault; pages: Page[] }>();
  const note = (fault: LoadingFault, page: Page) => {
    const key = JSON.stringify(fault);
    const group = groups.get(key);
    if (group) group.pages.push(page);
    else groups.set(key, { fault, pages: [page] });
  };
  // A hashed file name identifies the build; otherwise its text does, if it was captured.
  const isOld = (name: string, text: string) => {
    if (/-[0-9a-f]{8}\.css$/.test(name)) return !loading.built().names.includes(name);
    return text.includes(anyBegin) && !loading.built().texts.some((each) => text.includes(each));
  };
  for (const [page, { faults, css }] of pages) {
    for (const fault of faults) note(fault, page);
    const name = css?.replace(/[?#].*$/, '').replace(/^.*\//, '') ?? '';
    if (css === null || !isOld(name, style(css)?.text ?? '')) continue;
    note(
      {
        code: 'stale-build',
        text: `${name} is older than the current rules`,
        hint: `Put ${loading.built().names[0]} there${name === loading.built().names[0] ? '' : ', and use its new name in the pages'}.`,
      },
      page,
    );
  }
  return [...groups.values()].map(({ fault, pages: all }) => toldOnce(fault, all));
}

function toldOnce({ code, text, hint }: LoadingFault, [first, ...others]: Page[]): Finding {
  const more = others.length > 0 ? ` and ${others.length} more` : '';
  return finding(code, `${text}, on ${first?.path ?? ''}${more}`, { page: first?.path, hint });
}

/** Pages whose policy forbids the `<style>` or `<script>` that a build would put into them. */
export function forbiddenInPages(
  snippets: { page: Page; css: string | null; js: string | null }[],
  view: View,
): Finding[] {
  const groups = new Map<string, { kind: 'style' | 'script'; by: string; pages: Page[] }>();
  for (const { page, css, js } of snippets) {
    const policies = policiesOf(view.policy(page), view.open(page).root);
    for (const kind of [...(css === null ? [] : ['style' as const]), ...(js === null ? [] : ['script' as const])]) {
      const by = policies.flatMap((policy) => forbiddenBy(policy, { kind, address: null }, pageAddress(page)) ?? [])[0];
      if (by === undefined) continue;
      const group = groups.get(`${kind} ${by}`) ?? { kind, by, pages: [] };
      groups.set(`${kind} ${by}`, group);
      group.pages.push(page);
    }
  }
  return [...groups.values()].map(({ kind, by, pages }) =>
    toldOnce(
      {
        code: 'csp',
        text: `The page's Content-Security-Policy (${by}) forbids an inline <${kind}>`,
        hint: 'Build a bundle for this site, or add a nonce or hash to the policy.',
      },
      pages,
    ),
  );
}

/** Pages that are asked whether they load a file of the build. */
const mostAsked = 50;

/** Whether one of these captured pages loads a file of the build under its own or a hashed name, or has it inline. */
export function loadsBuild(pages: Iterable<Page>, { html }: Pick<View, 'html'>, ending: 'css' | 'js'): boolean {
  return [...pages].slice(0, mostAsked).some((page) => {
    let known = filesLoaded.get(page);
    if (!known) {
      const text = html(page);
      const names = ['css', 'js'].filter((each) =>
        new RegExp(`\\blocal-needle(-[0-9a-f]{8})?\\.${each}\\b`).test(text),
      );
      filesLoaded.set(page, (known = text.includes(anyBegin) ? ['css', 'js'] : names));
    }
    return known.includes(ending);
  });
}

/** The kinds of files of a build that pages load: a page is the same as long as its source is. */
const filesLoaded = new WeakMap<Page, string[]>();
