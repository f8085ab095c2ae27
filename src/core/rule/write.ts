import { writeString } from '../css/strings.js';

/** A rule from command options; each text as it will be in the file. */
export interface NewRule {
  name: string;
  note: string | null;
  /** Condition terms: `path("/tickets/pay")`. */
  pages: string[];
  except: string[];
  important: boolean;
  addedByScript: boolean;
  /** How its pages are looked at when it is judged; null: as they are, as anybody. */
  state: string | null;
  visitor: string | null;
  paused: boolean;
  until: string | null;
  hide: string[];
  onlyHere: string[];
  /** Selector and file or words. */
  swapImage: [selector: string, url: string][];
  swapText: [selector: string, text: string][];
  /** `SELECTOR { declarations }`, or declarations for a selector. */
  styles: string[];
}

const quoted = (text: string) => writeString(text.replace(/\s*\n\s*/g, ' '));

/** The text of a `@needle` block, two spaces a level, without a line break at its end. */
export function ruleText(rule: NewRule): string {
  const lines = [
    ...(rule.note === null ? [] : [`note: ${quoted(rule.note)};`]),
    `pages: ${rule.pages.join(', ')};`,
    ...(rule.except.length > 0 ? [`except: ${rule.except.join(', ')};`] : []),
    ...(rule.important ? ['important: yes;'] : []),
    ...(rule.addedByScript ? ['added-by: script;'] : []),
    ...(rule.state === null ? [] : [`state: ${rule.state};`]),
    ...(rule.visitor === null ? [] : [`visitor: ${rule.visitor};`]),
    ...(rule.until === null ? [] : [`until: ${rule.until};`]),
    ...(rule.paused ? ['paused: yes;'] : []),
    ...(rule.hide.length > 0 ? [`@hide ${rule.hide.join(', ')};`] : []),
    ...rule.onlyHere.map((selector) => `@only-here ${selector};`),
    ...rule.swapImage.map(([selector, url]) => `@swap ${selector} { image: url(${quoted(url)}); }`),
    ...rule.swapText.map(([selector, text]) => `@swap ${selector} { text: ${quoted(text)}; }`),
    ...rule.styles,
  ];
  return `@needle ${rule.name} {\n${lines.map((line) => `  ${line}`).join('\n')}\n}`;
}
