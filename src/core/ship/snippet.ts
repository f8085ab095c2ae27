import escapeHtml from 'escape-html';
import type { Page } from '../page/page.js';
import type { Rule } from '../rule/rule.js';
import { sheetMark } from '../page/build-comments.js';
import type { Action, FileUse } from '../action/action.js';
import { fileShipper, type BuildForm } from '../ship/bundle.js';
import { needleScript } from './script.js';
import type { ShippedRule, Shipments } from './shipment.js';
import { stylesheet } from './stylesheet.js';
import { tasksOf } from './tasks.js';

/** The CSS and script of one page, ready to paste into it. */
export interface Snippet {
  page: Page;
  rules: Rule[];
  /** Addresses of other hosts' stylesheets, before our own. */
  sheets: string[];
  /** Null where nothing has a style. */
  css: string | null;
  /** Null where nothing needs a script. */
  js: string | null;
  /** Files of the project that it names, by their shipped name. */
  files: Map<string, Uint8Array>;
  /** The actions that it writes into the page's own HTML, which its script leaves out. */
  inPage: ReadonlySet<Action>;
}

export interface SnippetForm extends BuildForm {
  /** The address of the folder that shipped files are put in: `/assets/`. */
  filesAt: string;
}

/**
 * What one page needs of a site's rules; null if nothing ships to it. `inPage`: which actions its own HTML does, given how
 * the files that it names are served.
 */
export function buildSnippet(
  page: Page,
  shipments: Shipments,
  form: SnippetForm,
  inPage: (rules: ShippedRule[], served: (file: FileUse) => string) => ReadonlySet<Action> = () => new Set(),
): Snippet | null {
  const { rules } = shipments.toPage(page);
  if (rules.length === 0) return null;
  const { files, served } = fileShipper(form.filesAt, form.shippedName);
  const written = inPage(rules, served);
  const tasks = rules.flatMap(({ rule, actions }) =>
    tasksOf({ rule, actions: actions.filter(({ action }) => !written.has(action)) }, served),
  );
  const styles = stylesheet(rules, { ...form, minify: form.minify !== null, served, notes: false });
  const ownTasks = tasks.filter(({ sheet }) => sheet === undefined);
  const needsScript = form.withScript && ownTasks.some(({ current }) => !current);
  const snippet: Snippet = {
    page,
    rules: rules.map(({ rule }) => rule),
    sheets: [...new Set(tasks.flatMap(({ sheet }) => sheet ?? []))],
    css: styles.isEmpty ? null : styles.text,
    js: needsScript ? needleScript([], ownTasks, { ...form, sheetName: null }).text : null,
    files,
    inPage: written,
  };
  const isEmpty = snippet.sheets.length === 0 && snippet.css === null && snippet.js === null;
  return isEmpty && written.size === 0 ? null : snippet;
}

/**
 * A snippet as HTML, its notes first; empty where the page's own HTML does everything. `ascii`: with escapes for all else,
 * for a page whose character set may lack it.
 */
export function snippetText({ page, rules, sheets, css, js }: Snippet, minify: boolean, ascii = false): string {
  if (sheets.length === 0 && css === null && js === null) return '';
  const notes = rules.map(({ name, note }) => `  ${name}${note ? `: ${note}` : ''}`);
  const comment = ` Local Needle, for ${page.path}\n${notes.join('\n')}\n`.replace(/--|<!/g, (match) =>
    match.split('').join(' '),
  );
  const lines = [
    ...(minify ? [] : [`<!--${ascii ? comment.replace(beyondAscii, '?') : comment}-->`]),
    ...sheets.map((href) => `<link rel="stylesheet" href="${escaped(href)}" ${sheetMark}>`),
    ...(css === null ? [] : [`<style>\n${safeStyle(ascii ? css.replace(beyondAscii, cssEscape) : css)}</style>`]),
    ...(js === null ? [] : [`<script>\n${ascii ? js.replace(beyondAscii, scriptEscape) : js}</script>`]),
  ];
  return `${lines.join('\n')}\n`;
}

const beyondAscii = /[^\0-\x7f]/gu;
const cssEscape = (character: string) => `\\${character.codePointAt(0)?.toString(16)} `;
const scriptEscape = (character: string) =>
  character
    .split('')
    .map((unit) => `\\u${unit.charCodeAt(0).toString(16).padStart(4, '0')}`)
    .join('');
/** An address as an attribute's value; beyond ASCII as browsers would ask for it. */
const escaped = (href: string) => escapeHtml(href.replace(/[^\0-\x7f]+/g, encodeURIComponent));

/** A stylesheet that no end tag inside of it cuts short; in strings and addresses `\\/` is a slash. */
const safeStyle = (css: string) => css.replace(/<\/(?=style)/gi, '<\\/');
