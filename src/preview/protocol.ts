import type { Level } from '../core/finding.js';
import type { Verdict } from '../core/check/verdict.js';
import type { PickedProposal } from '../core/find/pick.js';

/** Where the preview's own files lie among those of the site. */
export const ownFolder = '/.local-needle/';
/** The attribute that the picked element carries in the copy of the page that is sent. */
export const pickMark = 'data-local-needle-picked';
/** The element that holds the panel on a page. */
export const panelTag = 'local-needle-panel';
/** Characters of a page that may be sent to be looked at. */
export const mostPageText = 8 * 1024 * 1024;

/** Events for every open page and overview. */
export type News =
  | { kind: 'styles'; version: number }
  /** Pages whose scripts or source changed; null: all. */
  | { kind: 'reload'; paths: string[] | null; version: number }
  /** Verdicts, switches or problems are new. */
  | { kind: 'look' };

/** Whether a rule is in what the preview shows, and why not. */
export type PreviewStatus = 'on' | 'off' | 'paused' | 'expired';

/** All rules on all pages, for the overview. */
export interface OverviewState {
  site: string;
  /** How the pages are looked at: `desktop, as member`. */
  how: string;
  /** The error of a rule file; the last good state is shown meanwhile. */
  problem: string | null;
  /** The verdicts are being updated; the old ones are shown until then. */
  judging: boolean;
  /** Null before the first verdicts are there. */
  totals: { pages: number; cells: number; errors: number; warnings: number } | null;
  rules: {
    name: string;
    place: string;
    note: string | null;
    status: PreviewStatus;
    pages: number;
    verdicts: Partial<Record<Verdict, number>>;
  }[];
  pages: {
    path: string;
    /** Of the page in the preview. */
    address: string;
    title: string;
    cells: { rule: number; verdict: Verdict; sure: boolean }[];
  }[];
  /** HTML, made by us. */
  findings: string;
}

/** What the panel shows of the page that it is on. */
export interface PanelState {
  site: string;
  /** Null where the page was not captured. */
  path: string | null;
  shownPath: string;
  problem: string | null;
  handles: { condition: string; sole: boolean; pages: number; why: string }[];
  rules: {
    name: string;
    note: string | null;
    place: string;
    status: PreviewStatus;
    /** Null where it was not judged here. */
    verdict: Verdict | null;
    says: string;
    hints: { level: Level; text: string }[];
  }[];
  /** What would keep the rules from working on the live page. */
  notices: string[];
}

/** What is done with an element that was picked. */
export type Doing = 'hide' | 'only-here' | 'text' | 'style';

/** A rule as the panel asks for it. */
export interface AddRequest {
  doing: Doing;
  selector: string;
  /** New words, or declarations. */
  content: string;
  /** A condition such as `path("/tickets/pay")`. */
  pages: string;
  name: string;
  note: string;
  addedByScript: boolean;
  /** False: show what it would do. */
  write: boolean;
  /** Write the rule even if it has errors. */
  force: boolean;
}

/** The result. */
export interface AddAnswer {
  block: string;
  file: string;
  written: boolean;
  verdicts: { page: string; verdict: Verdict; elements: number }[];
  findings: { level: Level; code: string; message: string; hint: string | null }[];
}

export interface PickAnswer {
  place: string;
  words: string;
  proposals: PickedProposal[];
  counted: number;
  pages: number;
}

/** What the panel says to the page around it, and the page to the panel. */
export type ToPage =
  | { needle: 'hello' }
  /** `height`: what the open panel wants, in pixels. */
  | { needle: 'size'; open: boolean; height: number }
  | { needle: 'pick' }
  | { needle: 'key'; key: string }
  | { needle: 'leave-pick' }
  /** Picks the element around the one that was picked. */
  | { needle: 'wider' }
  | { needle: 'show'; selector: string | null }
  | { needle: 'styles'; version: number }
  | { needle: 'reload' };
export type ToPanel =
  | { needle: 'address'; address: string }
  | { needle: 'toggle' }
  | { needle: 'picking'; what: string | null }
  | { needle: 'picked'; html: string }
  | { needle: 'too-large' };
