import type { OverviewState } from '../protocol.js';
import { ask, badge, byId, make, ruleBox, switchRule, tell } from './dom.js';
import { sections, showMap, startMap, type MapGroups } from './map.js';
import { onNews } from './news.js';

/** Maximum number of cells and pages shown before "more" is used. */
const atOnce = 150;

/** The map follows what is typed after this long, in milliseconds. */
const mapMs = 150;
let mapping: ReturnType<typeof setTimeout> | undefined;

let state: OverviewState | null = null;
let most = atOnce;
const firstFindings = 3;
let allFindings = false;
const hidden = new Set<string>();
const origin = document.body.dataset['pages'] ?? '';
const search = byId<HTMLInputElement>('search');
const without = byId<HTMLInputElement>('without');
const groups = byId<HTMLSelectElement>('map-groups');

async function look(): Promise<void> {
  try {
    state = await ask<OverviewState>('overview.json');
    tell('problem', state.problem && `This is the last valid state.\n\n${state.problem}`);
    show(state);
  } catch (error) {
    tell('problem', `The preview does not respond: ${(error as Error).message}`);
  }
}

const many = (number: number, noun: string) => `${number} ${noun}${number === 1 ? '' : 's'}`;

function show({ site, how, totals, rules, findings, judging, templates }: OverviewState): void {
  byId('site').textContent = site;
  byId('how').textContent = `at ${how}`;
  document.title = totals
    ? `${site}: ${many(totals.errors, 'error')}, ${many(totals.warnings, 'warning')}`
    : `${site}: preview`;
  const made = totals && `${many(rules.length, 'rule')}, ${many(totals.pages, 'page')}, ${many(totals.cells, 'cell')}.`;
  const words = [made, judging ? 'Checking…' : null].filter((each) => each).join(' ');
  if (byId('totals').textContent !== words) byId('totals').textContent = words;
  byId('wrong').textContent = totals ? `${many(totals.errors, 'error')}, ${many(totals.warnings, 'warning')}` : '';
  showRules(rules);
  if (!totals) return;
  showTemplates(templates);
  showVerdicts();
  showPages();
  // Made by the preview itself, with every text of pages and rules escaped.
  byId('findings').innerHTML = findings;
  // What is wrong comes first.
  const [map, rest] = [byId('map-title').closest('section'), byId('rest')];
  const section = byId('findings-title').closest('section');
  if (section && totals.errors > 0) map?.before(section);
  else if (section) rest.append(section);
  linkFindings();
  showFindings();
}

/** Templates that are shown; a site with more has hardly any. */
const mostTemplates = 12;

/** A page of each template, to look at. */
function showTemplates(templates: OverviewState['templates']): void {
  const line = byId('templates');
  line.hidden = templates.length < 2;
  const links = templates.slice(0, mostTemplates).flatMap(({ name, pages, path, address }) => {
    const link = make('a', { href: origin + address, title: `${many(pages, 'page')}: ${name}` }, path);
    return [link, pages > 1 ? ` (${pages})` : '', ' · '];
  });
  const more = templates.length > mostTemplates ? [`and ${templates.length - mostTemplates} more`] : [];
  line.replaceChildren('A page of each template: ', ...links.slice(0, more.length > 0 ? undefined : -1), ...more);
}

/** Findings that the search leaves, the first few of them where they stand before everything else. */
function showFindings(): void {
  const words = search.value.toLowerCase().split(/\s+/).filter(Boolean);
  const plain = words.filter((word) => !templateWord.test(word)).map((word) => word.replace(/^rule:/, ''));
  const articles = [...document.querySelectorAll<HTMLElement>('#findings article')];
  const fits = articles.filter(({ textContent }) => plain.every((word) => textContent.toLowerCase().includes(word)));
  const shown = new Set(allFindings ? fits : fits.slice(0, firstFindings));
  for (const each of articles) each.hidden = !shown.has(each);
  byId('all-findings').hidden = shown.size === fits.length;
  byId('all-findings').textContent = `Show all ${many(fits.length, 'finding')}`;
}

/** The rules that the search leaves: by their own words, or because a page has them. */
function filterRules(found: OverviewState['pages']): void {
  const words = search.value.toLowerCase().split(/\s+/).filter(Boolean);
  const used = new Set(found.flatMap(({ cells }) => cells.map(({ rule }) => rule)));
  const items = [...byId('rules').children] as HTMLElement[];
  items.forEach((item, index) => {
    const isNamed = words.every((word) => !templateWord.test(word) && item.textContent.toLowerCase().includes(word));
    item.hidden = words.length > 0 && !isNamed && !used.has(index);
  });
}

/** Findings lead to the pages that they are about. */
function linkFindings(): void {
  const addresses = new Map(state?.pages.map(({ path, address }) => [path, address]));
  const linkTo = (path: string | null) => {
    const address = addresses.get(path ?? '');
    return address === undefined ? null : make('a', { href: origin + address }, path);
  };
  for (const finding of document.querySelectorAll<HTMLElement>('#findings article')) {
    const link = linkTo(finding.dataset['page'] ?? null);
    if (link) finding.querySelector('h3')?.append(' ', link);
    for (const each of finding.querySelectorAll('.pages li')) {
      const other = linkTo(each.textContent);
      if (other) each.replaceChildren(other);
    }
  }
}

function showRules(rules: OverviewState['rules']): void {
  const focused = document.activeElement?.getAttribute('data-rule');
  byId('rules').replaceChildren(
    ...rules.map(({ name, note, place, status, verdicts, pages }) => {
      const box = ruleBox({ name, status });
      box.setAttribute('aria-label', `${name} in this preview`);
      const filter = make('button', { type: 'button', className: 'name', title: 'Show its pages' }, name);
      filter.onclick = () => searchFor(`rule:${name}`);
      const counts = Object.entries(verdicts).map(([verdict, number]) => {
        const shown = badge(verdict);
        if (number > 1) shown.append(` ${number}`);
        return shown;
      });
      const out = { on: null, off: 'off in this preview', paused: 'paused', expired: 'expired' }[status];
      const item = make(
        'li',
        { className: status === 'on' ? '' : 'out' },
        make('div', { className: 'tools' }, box, filter, ...(out ? [] : counts)),
        make('p', { className: 'note' }, note ? `${note} ` : '', make('span', { className: 'place' }, place)),
        out ? make('p', {}, `${out}, ${many(pages, 'page')}`) : null,
      );
      return item;
    }),
  );
  if (focused) document.querySelector<HTMLElement>(`[data-rule="${CSS.escape(focused)}"]`)?.focus();
}

function searchFor(words: string): void {
  search.value = search.value === words ? '' : words;
  most = atOnce;
  showPages();
}

function showVerdicts(): void {
  const counts = new Map<string, number>();
  for (const { verdict } of state?.pages.flatMap(({ cells }) => cells) ?? [])
    counts.set(verdict, (counts.get(verdict) ?? 0) + 1);
  byId('verdicts').replaceChildren(
    ...[...counts].map(([verdict, number]) => {
      const box = make('input', { type: 'checkbox', checked: !hidden.has(verdict) });
      box.onchange = () => {
        if (box.checked) hidden.delete(verdict);
        else hidden.add(verdict);
        showPages();
      };
      return make('label', {}, box, ' ', badge(verdict), ` ${number} `);
    }),
  );
}

/** What the search takes for the pages of a template, by its number from 1. */
const templateWord = /^template:(\d+)$/;

/** The pages that match the search, each with its matching cells. */
function fitting({ pages, rules }: OverviewState): OverviewState['pages'] {
  const words = search.value.toLowerCase().split(/\s+/).filter(Boolean);
  const wanted = words.filter((word) => word.startsWith('rule:')).map((word) => word.slice(5));
  const [, template] = words.flatMap((word) => templateWord.exec(word) ?? []);
  const rest = words.filter((word) => !word.startsWith('rule:') && !templateWord.test(word));
  const names = rules.map(({ name }) => name.toLowerCase());
  return pages.flatMap((page) => {
    if (template !== undefined && page.template + 1 !== Number(template)) return [];
    const text = `${page.path} ${page.title}`.toLowerCase();
    const open = rest.filter((word) => !text.includes(word));
    const cells = page.cells.filter(
      ({ rule, verdict }) =>
        !hidden.has(verdict) &&
        wanted.every((name) => names[rule] === name) &&
        open.every((word) => names[rule]?.includes(word)),
    );
    const bare = page.cells.length === 0 && without.checked && wanted.length === 0 && open.length === 0;
    return cells.length > 0 || bare ? [{ ...page, cells }] : [];
  });
}

function showPages(typing = false): void {
  if (!state) return;
  const own = state;
  const { rules } = own;
  const found = fitting(own);
  let weight = 0;
  const end = found.findIndex(({ cells }) => (weight += cells.length + 1) > most);
  const shown = end < 0 ? found.length : Math.max(end, 1);
  byId('pages').replaceChildren(
    ...found.slice(0, shown).map(({ path, address, title, cells }) => {
      const chips = cells.map(({ rule, verdict, sure }) => {
        const name = rules[rule]?.name ?? '';
        const chip = make('button', { type: 'button', className: 'chip' }, badge(verdict), name);
        if (!sure) chip.firstElementChild?.classList.add('unsure');
        chip.onclick = () => void open(name, path, verdict, address);
        return chip;
      });
      return make(
        'tr',
        {},
        make('td', {}, make('a', { href: origin + address }, path), make('small', {}, title)),
        make('td', {}, ...chips),
      );
    }),
  );
  showFindings();
  filterRules(found);
  clearTimeout(mapping);
  // While somebody types, the list is enough.
  mapping = setTimeout(() => map(own, found), typing ? mapMs : 0);
  byId('more').hidden = found.length <= shown;
  const cells = found.reduce((sum, each) => sum + each.cells.length, 0);
  byId('shown').textContent = `${many(found.length, 'page')}, ${many(cells, 'cell')} shown`;
}

/** Pages by their template, the largest first. */
function templateGroups({ templates }: OverviewState): MapGroups {
  const order = templates.map(({ name }) => name);
  return { of: ({ template }) => order[template] ?? '', order };
}

function map(own: OverviewState, pages: OverviewState['pages']): void {
  byId('map-tools').hidden = own.templates.length < 2;
  const byMake = groups.value === 'template';
  showMap(own.rules, pages, byMake ? templateGroups(own) : sections, {
    open: (rule, { path, address }, verdict) => void open(rule, path, verdict, address),
    zoom: ({ group, pages: [first] }) =>
      searchFor(byMake ? `template:${(first?.template ?? -1) + 1}` : `${group}/`.replace('//', '/')),
  });
}

/** Opens what a rule does on a page: its elements, winners and hints. */
async function open(rule: string, path: string, verdict: string, address: string): Promise<void> {
  const query = new URLSearchParams({ rule, page: path });
  const answer = await fetch(`cell?${query.toString()}`);
  byId('cell-title').replaceChildren(badge(verdict), ` ${rule} on ${path}`);
  // Made by the preview itself, with every text of pages and rules escaped.
  byId('cell-body').innerHTML = answer.ok ? await answer.text() : '';
  byId<HTMLAnchorElement>('cell-page').href = origin + address;
  byId<HTMLDialogElement>('cell').showModal();
}

byId('all-findings').onclick = () => {
  allFindings = true;
  showFindings();
};
byId('cell-close').onclick = () => byId<HTMLDialogElement>('cell').close();
byId('all-on').onclick = () => void switchRule(null, true);
byId('all-off').onclick = () => void switchRule(null, false);
byId('more').onclick = () => {
  most += atOnce;
  showPages();
};
groups.onchange = () => showPages();
byId('tools').onsubmit = (event) => event.preventDefault();
let frame = 0;
byId('tools').oninput = () => {
  most = atOnce;
  // What is typed in a row is looked for once.
  cancelAnimationFrame(frame);
  frame = requestAnimationFrame(() => showPages(true));
};
startMap();
window.addEventListener('resize', () => showPages());
onNews(() => void look());
void look();
