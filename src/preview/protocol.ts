import type { Level } from '../core/finding.js';
import type { Verdict } from '../core/check/verdict.js';
import type { Medium } from '../core/css/cascade/media.js';
import type { PickedProposal } from '../core/find/pick.js';

export type { LookRequest, LooksState, Seat } from '../app/looks.js';

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
  /** Pages of the same make, by an example each; empty until everything was judged once. */
  templates: { name: string; pages: number; path: string; address: string }[];
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
    /** The number of its template; -1 until these are known. */
    template: number;
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
  /** How pages can be looked at, and how they are. */
  states: string[];
  visitors: string[];
  now: { state: string | null; visitor: string | null };
  /** What would keep the rules from working on the live page. */
  notices: string[];
  /** A rule that is shown and not written yet, with what it does; null if there is none. */
  draft: DraftState | null;
  /** What was written last and can be taken back, in words. */
  undo: string | null;
}

/** A rule before it is written. */
export interface DraftState {
  name: string;
  file: string;
  block: string;
  /** False until it was judged. */
  judged: boolean;
  /** On its pages. */
  cells: { page: string; verdict: Verdict; elements: number }[];
  findings: { level: Level; message: string; hint: string | null; changes: DraftChange[] }[];
}

/** What may mend a finding of a draft: the rule's words with another text in place of one, or with a descriptor. */
export interface DraftChange {
  title: string;
  selector: { from: string; to: string } | null;
  important: boolean;
}

/** What is done with an element that was picked. */
export type Doing = 'hide' | 'only-here' | 'style' | 'text' | 'image';

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
  important: boolean;
  addedByScript: boolean;
  state: string | null;
  visitor: string | null;
}

/** A rule to be shown or written: a new one, or the text of one that is there. Neither: no draft any more. */
export interface DraftRequest {
  rule?: AddRequest;
  edit?: { name: string; text: string };
}

/** Words or a picture that a draft puts into elements, below a body that `scope` picks. */
export interface DraftSwap {
  scope: string;
  selector: string;
  text?: string;
  /** The name of a file that ships, or an address. */
  image?: string;
  alt?: string;
}

/** A draft as it would be, or was, written. */
export interface DraftAnswer {
  name: string;
  file: string;
  block: string;
  swaps: DraftSwap[];
  /** Marks of the page that it needs, as local-needle.js sets them. */
  marks: string[];
}

/** What is done with a rule in its file. */
export type RuleChange = 'pause' | 'resume' | 'delete';

/** How often a selector matches. */
export interface CountAnswer {
  elements: number;
  otherPages: number;
  counted: number;
  pages: number;
  /** Selectors that match where this one does not. */
  near: { selector: string; elements: number; why: string }[];
}

/** A fix of what was found of a rule, to be written by its number. */
export interface FixAnswer {
  title: string;
  result: string;
}

export interface PickAnswer {
  place: string;
  words: string;
  proposals: PickedProposal[];
  counted: number;
  pages: number;
}

/** What the looks say to a page in one of their frames, and the page to them. */
export type ToFrame =
  | { needle: 'as'; medium: Medium }
  | { needle: 'scroll'; top: number }
  | { needle: 'styles'; version: number }
  | { needle: 'reload' };
export type FromFrame = { needle: 'framed'; address: string } | { needle: 'scrolled'; top: number };

/** Where the panel stands. */
export const corners = ['bottom-right', 'bottom-left', 'top-left', 'top-right'] as const;
export type Corner = (typeof corners)[number];

/** What the panel says to the page around it, and the page to the panel. */
export type ToPage =
  | { needle: 'hello' }
  /** `height`: what the open panel wants, in pixels. `line`: as one line along an edge, while somebody points. */
  | { needle: 'size'; open: boolean; height: number; line: boolean }
  | { needle: 'corner'; corner: Corner; docked: boolean }
  /** Aims at an element around the one that is aimed at, so many steps up, or picks it. */
  | { needle: 'aim' | 'choose'; up: number }
  /** Aims at what lies below the element under the pointer. */
  | { needle: 'below' }
  /** The line goes to the other edge of the window. */
  | { needle: 'other-edge' }
  | { needle: 'pick' }
  | { needle: 'key'; key: string }
  | { needle: 'leave-pick' }
  /** Picks the element around the one that was picked. */
  | { needle: 'wider' }
  | { needle: 'show'; selector: string | null }
  /** What a draft puts into elements, and the marks that it needs; none: as they were. */
  | { needle: 'draft'; swaps: DraftSwap[]; marks: string[] }
  | { needle: 'styles'; version: number }
  | { needle: 'reload' };
export type ToPanel =
  | { needle: 'address'; address: string }
  | { needle: 'toggle' }
  /** What is aimed at, from inside out, with its size and margin; null: nobody points any more. */
  | { needle: 'picking'; chain: string[] | null; size: string }
  | { needle: 'picked'; html: string }
  | { needle: 'too-large' };
