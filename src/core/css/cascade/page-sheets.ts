import { attribute, lineageOf, linesOf, type Element, type PageDocument } from '../../page/document.js';
import { textOf } from '../../page/query.js';
import type { Page } from '../../page/page.js';
import { baseAddress } from '../../page/location.js';
import type { StyleText, View } from '../../page/view.js';
import { anyBegin, endMark, sheetMark } from '../../page/build-comments.js';
import { StyleSets } from './style-set.js';
import { compileSheet, type EnclosingRule, type Sheet } from './sheet.js';

/** A stylesheet in its place on a page. */
export interface SheetUse {
  sheet: Sheet;
  /** As messages name it. */
  file: string;
  lineOf: (offset: number) => number;
  /** Whether it is a `<style>` of the page. */
  isInline: boolean;
  /** The media of the link, and the conditions of the imports that led here. */
  around: EnclosingRule[];
  /** The layer that an `@import` puts it in. */
  layer: string[] | null;
  /** Whether it comes after what we ship. */
  afterBuild: boolean;
  /** What `@scope` without a root is limited to: the parent of a `<style>`. */
  owner: Element | null;
}

/** The stylesheets of a page in the order of the cascade. */
export interface PageSheets {
  uses: SheetUse[];
  /** Addresses that the page loads and that were not captured. */
  unseen: string[];
  /** The same of hosts that serve web fonts: such a sheet holds nothing but `@font-face`. */
  ofFonts: string[];
  /** What of them could not be read, and may match anything: as messages name it. */
  unread: string[];
  /** All that it loads, with what it held (StyleText.identity), null where it was not captured. */
  loaded: [address: string, identity: string | null][];
}

/** Characters of a selector in a message. */
const longestShown = 60;

/** Maximum depth of imports; deeper stylesheets are left out. */
const deepestImport = 16;

/** Reads and keeps the stylesheets of a site: each text is compiled once for all pages. */
export class SheetStore<Owner = unknown> {
  /** What pages share that load the same of them. */
  readonly styleSets = new StyleSets<Owner>();
  private readonly texts = new Map<string, StyleText | null>();
  private readonly byAddress = new Map<string, { sheet: Sheet; file: string } | null>();
  private readonly byText = new Map<string, Sheet>();

  constructor(
    private readonly view: Pick<View, 'style'>,
    /** Where the build's stylesheet is on a page. */
    private readonly place: 'head-end' | 'body-end',
  ) {}

  /** The stylesheets that apply to a page in the order of the source, each import before the sheet that imports it. */
  sheetsOf(page: Page, document: PageDocument): PageSheets {
    const result: PageSheets = { uses: [], unseen: [], ofFonts: [], unread: [], loaded: [] };
    const base = baseAddress(page, document);
    let preferred: string | null = null;
    for (const element of document.pageWide) {
      if (!isStylesheet(element)) continue;
      const title = attribute(element, 'title') ?? '';
      // HTML Standard 4.2.4 and CSSOM 6.2: the first title is the preferred set, others are alternates.
      const alternate = /(^|\s)alternate(\s|$)/i.test(attribute(element, 'rel') ?? '');
      if (title !== '' && !alternate) preferred ??= title;
      const inBody = lineageOf(element).some(({ tagName }) => tagName === 'body');
      if (title === '' || title === preferred) this.add(element, { page, document, base, result, inBody });
    }
    return result;
  }

  /** The stylesheets of a page with others between those of its head and what we ship. */
  withExternal(
    own: PageSheets,
    page: Page,
    document: PageDocument,
    addresses: string[],
  ): { sheets: PageSheets; external: Map<string, SheetUse[]> } {
    const external = new Map<string, SheetUse[]>();
    if (addresses.length === 0) return { sheets: own, external };
    const added: PageSheets = {
      ...{ uses: [], unseen: [...own.unseen], ofFonts: [...own.ofFonts] },
      ...{ unread: [...own.unread], loaded: [...own.loaded] },
    };
    const base = baseAddress(page, document);
    const context: ImportContext = { around: [], layer: null, afterBuild: false, owner: null, chain: [] };
    for (const address of new Set(addresses)) {
      const from = added.uses.length;
      const whole = resolveAddress(address, base);
      if (whole !== null) this.linked(whole, context, added);
      external.set(address, added.uses.slice(from));
    }
    const before = own.uses.filter(({ afterBuild }) => !afterBuild);
    const after = own.uses.filter(({ afterBuild }) => afterBuild);
    return { sheets: { ...added, uses: [...before, ...added.uses, ...after] }, external };
  }

  /** Reads a stylesheet's text once. */
  style(address: string): StyleText | null {
    let known = this.texts.get(address);
    if (known === undefined) {
      known = address.startsWith('data:') ? dataStyle(address) : this.view.style(address);
      this.texts.set(address, known);
    }
    return known;
  }

  private add(
    element: Element,
    {
      page,
      document,
      base,
      result,
      inBody,
    }: { page: Page; document: PageDocument; base: string; result: PageSheets; inBody: boolean },
  ): void {
    const media = attribute(element, 'media')?.trim() ?? '';
    const context: ImportContext = {
      around: media === '' ? [] : [{ kind: 'media', condition: media }],
      layer: null,
      afterBuild: inBody && this.place === 'head-end',
      owner: null,
      chain: [],
    };
    if (element.tagName === 'link') {
      const address = resolveAddress(attribute(element, 'href') ?? '', base);
      if (address !== null) this.linked(address, context, result);
      return;
    }
    const text = withoutBuild(textOf(element));
    let sheet = this.byText.get(text);
    if (!sheet) this.byText.set(text, (sheet = compileSheet(text)));
    const own = sheet;
    let start: number | undefined;
    const lineOf = (offset: number) => {
      start ??= linesOf(document, element).end;
      return start + own.lineOf(offset) - 1;
    };
    const parent = element.parentNode && 'tagName' in element.parentNode ? element.parentNode : null;
    this.use(own, base, { ...context, owner: parent }, { file: page.file, lineOf, isInline: true }, result);
  }

  private linked(address: string, context: ImportContext, result: PageSheets): void {
    if (context.chain.includes(address) || context.chain.length > deepestImport) return;
    let known = this.byAddress.get(address);
    if (known === undefined) {
      const style = this.style(address);
      known = style && { sheet: compileSheet(withoutBuild(style.text)), file: style.file };
      this.byAddress.set(address, known);
    }
    if (!result.loaded.some(([each]) => each === address))
      result.loaded.push([address, this.style(address)?.identity ?? null]);
    if (!known) {
      const list = isOfFonts(address) ? result.ofFonts : result.unseen;
      if (!list.includes(address)) list.push(address);
      return;
    }
    const { sheet, file } = known;
    this.use(
      sheet,
      address,
      { ...context, chain: [...context.chain, address] },
      { file, lineOf: sheet.lineOf, isInline: false },
      result,
    );
  }

  private use(
    sheet: Sheet,
    base: string,
    context: ImportContext,
    told: Pick<SheetUse, 'file' | 'lineOf' | 'isInline'>,
    result: PageSheets,
  ): void {
    for (const { url, layer, supports, media } of sheet.imports) {
      const address = resolveAddress(url, base);
      if (address === null) continue;
      const around: EnclosingRule[] = [...context.around];
      if (media !== '') around.push({ kind: 'media', condition: media });
      if (supports !== null)
        around.push({ kind: 'supports', condition: /^[\w-]+\s*:/.test(supports) ? `(${supports})` : supports });
      const inner = layer ? [...(context.layer ?? []), ...layer] : context.layer;
      this.linked(address, { ...context, around, layer: inner, owner: null }, result);
    }
    const { around, layer, afterBuild, owner } = context;
    for (const { selector, offset } of sheet.unread) {
      const shown = selector.length > longestShown ? `${selector.slice(0, longestShown)}…` : selector;
      result.unread.push(`selector ${shown} of ${told.file}:${told.lineOf(offset)} not read`);
    }
    result.uses.push({ sheet, ...told, around, layer, afterBuild, owner });
  }
}

/** The stylesheets of each view, read once for all checks of one reading of a site. */
export function sheetStores<Owner>(place: 'head-end' | 'body-end'): (view: View) => SheetStore<Owner> {
  const known = new Map<View, SheetStore<Owner>>();
  return (view) => {
    let store = known.get(view);
    if (!store) known.set(view, (store = new SheetStore<Owner>(view, place)));
    return store;
  };
}

interface ImportContext extends Pick<SheetUse, 'around' | 'layer' | 'afterBuild' | 'owner'> {
  /** Addresses of the importing sheets: a sheet that imports itself is not read again. */
  chain: string[];
}

function isStylesheet(element: Element): boolean {
  if (element.tagName !== 'style' && element.tagName !== 'link') return false;
  const type = attribute(element, 'type')?.trim().toLowerCase() ?? '';
  if (type !== '' && type !== 'text/css') return false;
  if (element.tagName === 'style') return true;
  if (attribute(element, 'disabled') !== undefined) return false;
  // An earlier build put it there.
  if (attribute(element, sheetMark) !== undefined) return false;
  return /(^|\s)stylesheet(\s|$)/i.test(attribute(element, 'rel') ?? '') && (attribute(element, 'href') ?? '') !== '';
}

/** Whether an address is that of a host for web fonts, by its name (`fonts.example.org`). */
const isOfFonts = (address: string) => /^(web-?)?fonts?\d*\./i.test(new URL(address).hostname);

/** An address without its fragment; null if it is none that a stylesheet comes from. */
function resolveAddress(href: string, base: string): string | null {
  if (!URL.canParse(href, base)) return null;
  const url = new URL(href, base);
  url.hash = '';
  return /^(https?|data):$/.test(url.protocol) ? url.href : null;
}

/** The stylesheet that a `data:` address holds (RFC 2397); null if it holds another thing. */
function dataStyle(address: string): StyleText | null {
  const [, head = '', body = ''] = /^data:([^,]*),([^]*)$/.exec(address) ?? [];
  if (!/^text\/css(;|$)/i.test(head)) return null;
  try {
    const bytes = /;base64$/i.test(head) ? atob(decodeURIComponent(body)) : null;
    const text =
      bytes === null
        ? decodeURIComponent(body)
        : new TextDecoder().decode(Uint8Array.from(bytes, (each) => each.charCodeAt(0)));
    return { text, file: 'data:text/css', identity: '' };
  } catch {
    return null;
  }
}

/** A stylesheet without what an earlier build wrote into it; lines stay where they were. */
export function withoutBuild(text: string): string {
  if (!text.includes(anyBegin)) return text;
  let result = text;
  for (let start = result.indexOf(anyBegin); start >= 0; start = result.indexOf(anyBegin, start)) {
    const mark = result.indexOf(`/*${endMark.trimEnd()}`, start);
    const close = mark < 0 ? -1 : result.indexOf('*/', mark);
    const end = close < 0 ? result.length : close + 2;
    result = result.slice(0, start) + result.slice(start, end).replace(/[^\n]/g, ' ') + result.slice(end);
  }
  return result;
}
