import {
  corners,
  type Corner,
  type FixAnswer,
  type PanelState,
  type PickAnswer,
  type RuleChange,
  type ToPage,
  type ToPanel,
} from '../protocol.js';
import { ask, badge, byId, hintLines, make, ruleBox, switchRule, tell } from './dom.js';
import { onNews } from './news.js';
import { editForm, ruleForm, type FormCallbacks, type DraftForm } from './rule-form.js';

const frames = (document.body.dataset['frames'] ?? '').split(' ');
const openKey = 'local-needle-open';
const cornerKey = 'local-needle-corner';
const dockedKey = 'local-needle-docked';
let corner: Corner = corners.find((each) => each === kept(cornerKey)) ?? 'bottom-right';
/** Whether it stands beside the page instead of over it. */
let docked = kept(dockedKey) === 'yes';
let address = new URLSearchParams(location.search).get('address') ?? '/';
let state: PanelState | null = null;
/** Whether a person asked to pick something: pages could say so by themselves. */
let wanted = false;
/** The form whose draft is shown, and the connection that ends with it or with this window; null if there is none. */
let form: { shown: DraftForm; owner: string; held: EventSource } | null = null;
let forms = 0;
/** The origin of the page around: only one of the preview's is spoken to. */
let outer = frames.find((each) => document.referrer.startsWith(`${each}/`)) ?? '';

/** Only pages of the preview are listened to; what they say is a hint, never an order to write. */
window.addEventListener('message', (event) => {
  if (event.source !== window.parent || !frames.includes(event.origin)) return;
  outer = event.origin;
  const words = event.data as ToPanel;
  if (words.needle === 'address') moveTo(words.address);
  else if (words.needle === 'toggle') setOpen(!isOpen());
  else if (words.needle === 'picking') showPicking(words.chain, words.size);
  else if (words.needle === 'picked' && wanted) void picked(words.html);
  else if (words.needle === 'too-large') say('The page is too large for this panel. Use local-needle find.');
});

function toPage(words: ToPage): void {
  for (const frame of outer ? [outer] : frames) window.parent.postMessage(words, frame);
}

function moveTo(next: string): void {
  if (next === address && state) return;
  address = next;
  void look();
}

async function look(): Promise<void> {
  try {
    state = await ask<PanelState>(`panel.json?${new URLSearchParams({ address }).toString()}`);
    tell('problem', state.problem && `These are the last valid rules.\n\n${state.problem}`);
    show(state);
  } catch (error) {
    tell('problem', `The preview does not respond: ${(error as Error).message}`);
  }
}

function show({ shownPath, handles, rules, notices, problem, draft, undo }: PanelState): void {
  form?.shown.update(draft);
  tell('undo-words', undo);
  byId('undo').hidden = undo === null;
  tell('drafted', draft && !form ? `${draft.name} is shown as another window has it, and is not written.` : null);
  byId('path').textContent = shownPath;
  byId<HTMLAnchorElement>('looks').href = `/looks?${new URLSearchParams({ address }).toString()}`;
  const broken = problem !== null || rules.some(({ verdict }) => verdict === 'overridden' || verdict === 'no-match');
  byId('badge').textContent = `${rules.length}${broken || notices.length > 0 ? ' !' : ''}`;
  byId('open').setAttribute('aria-label', `Local Needle: ${rules.length} rules on this page`);
  byId('notices').replaceChildren(...notices.map((each) => make('p', { className: 'notice' }, each)));
  showRules(rules);
  byId('handles').replaceChildren(
    ...handles.map(({ condition, sole, pages, why }) =>
      make(
        'li',
        {},
        copying(condition),
        ' ',
        make('small', { title: why }, sole ? 'this page only' : `${pages} pages`),
      ),
    ),
  );
}

function showRules(rules: PanelState['rules']): void {
  const focused = document.activeElement?.getAttribute('data-rule');
  const none = make('li', {}, 'No rule targets this page.');
  byId('rules').replaceChildren(
    ...rules.map((rule) => {
      const { name, note, place, status, verdict, says, hints } = rule;
      const box = ruleBox({ name, status });
      return make(
        'li',
        { className: status === 'on' ? '' : 'out' },
        make(
          'div',
          { className: 'rule-line' },
          make(
            'label',
            {},
            box,
            make('span', { className: 'name', title: place }, name),
            verdict ? badge(verdict) : null,
          ),
          ruleButton(rule, 'Edit', () => edit(rule)),
        ),
        make('p', { className: 'says' }, note ? `${note} ` : '', make('small', {}, says)),
        ...hintLines(hints),
        hints.length > 0 ? fixesOf(rule) : null,
      );
    }),
    ...(rules.length === 0 ? [none] : []),
  );
  if (focused) document.querySelector<HTMLElement>(`[data-rule="${CSS.escape(focused)}"]`)?.focus();
  const own = rules.filter(({ status }) => status === 'on' || status === 'off');
  byId('before-after').hidden = own.length === 0;
  const allOff = own.every(({ status }) => status === 'off');
  byId('before').setAttribute('aria-pressed', String(allOff));
  byId('after').setAttribute('aria-pressed', String(own.every(({ status }) => status === 'on')));
}

/** A button that does something with a rule, and says where that fails. */
function ruleButton({ name }: PanelState['rules'][number], words: string, what: () => Promise<unknown>): HTMLElement {
  const button = make('button', { type: 'button' }, words);
  button.setAttribute('aria-label', `${words} (${name})`);
  button.onclick = () => void what().catch((error: unknown) => say((error as Error).message));
  return button;
}

/** The fixes of what was found of a rule here, worked out when they are asked for. */
function fixesOf(rule: PanelState['rules'][number]): HTMLElement {
  const place = make('div', { className: 'fix-list' });
  const apply = (number: number) => ask('apply', { number }).then(() => say('Written'));
  const look = async () => {
    const found = await ask<FixAnswer[]>('fixes', { rule: rule.name, page: state?.path ?? '' });
    const lines = found.map(({ title, result }, number) =>
      make(
        'p',
        { className: 'says' },
        ruleButton(rule, `Apply: ${title}`, () => apply(number)),
        result ? ` ${result}` : '',
      ),
    );
    const none = make('p', { className: 'says' }, 'Nothing that was tried mends it.');
    place.replaceChildren(...(lines.length > 0 ? lines : [none]));
  };
  place.append(ruleButton(rule, 'Find fixes', look));
  return place;
}

async function edit(rule: PanelState['rules'][number]): Promise<void> {
  const { text } = await ask<{ text: string }>(`block?${new URLSearchParams({ rule: rule.name }).toString()}`);
  const change = (what: RuleChange) =>
    void ask('change', { name: rule.name, what })
      .then(leave)
      .catch((error: unknown) => say((error as Error).message));
  open((owner) => editForm(rule, text, { ...around(owner), change }));
}

/** Shows a form; the draft of another one is gone. */
function open(make: (owner: string) => DraftForm): void {
  leave();
  const owner = new URLSearchParams({ owner: `${Math.random()} ${++forms}`, address }).toString();
  const shown = make(owner);
  form = { shown, owner, held: new EventSource(`held?${owner}`) };
  byId('picked').replaceChildren(shown.element);
  shown.element.querySelector<HTMLElement>('input, textarea, button')?.focus({ preventScroll: true });
  byId('panel').scrollTo(0, 0);
}

/** Takes the form away, and its draft with it. */
function leave(): void {
  if (!form) return;
  const { owner, held, shown } = form;
  form = null;
  shown.end();
  held.close();
  byId('picked').replaceChildren();
  toPage({ needle: 'draft', swaps: [], marks: [] });
  highlight(null);
  void ask(`draft?${owner}`, {});
}

const around = (owner: string): FormCallbacks => ({
  ...{ copying, say, highlight, leave, address, owner },
  draft: ({ swaps, marks }) => toPage({ needle: 'draft', swaps, marks }),
  wider: () => {
    wanted = true;
    toPage({ needle: 'wider' });
  },
});

/** Switches the rules of this page only: a before and after of it. */
async function switchAll(on: boolean): Promise<void> {
  for (const { name, status } of state?.rules ?? []) if (status === (on ? 'off' : 'on')) await switchRule(name, on);
}

/** A button that copies a text; it shows the text itself unless it has other words. */
function copying(text: string, words = text): HTMLElement {
  const button = make('button', { type: 'button', className: 'copy', title: `Copy ${text}` }, words);
  button.onclick = () => void copy(text);
  return button;
}

async function copy(text: string): Promise<void> {
  try {
    await navigator.clipboard.writeText(text);
  } catch {
    // The site's own policy may keep frames from the clipboard; this older way asks nobody.
    const field = make('textarea', { value: text });
    document.body.append(field);
    field.select();
    document.execCommand('copy');
    field.remove();
  }
  say(`Copied ${text}`);
}

function say(text: string): void {
  byId('said').textContent = text;
}

/** While somebody points, the panel is a line with the elements around the pointer, each a click. */
function showPicking(chain: string[] | null, size: string): void {
  byId('pick').setAttribute('aria-pressed', String(chain !== null));
  byId('panel').hidden = chain !== null || !isOpen();
  byId('line').hidden = chain === null;
  byId('around').replaceChildren(
    ...(chain ?? []).map((name, up) => {
      const button = make('button', { type: 'button' }, name);
      button.onmouseenter = () => toPage({ needle: 'aim', up });
      button.onfocus = () => toPage({ needle: 'aim', up });
      button.onclick = () => toPage({ needle: 'choose', up });
      return make('li', {}, button);
    }),
  );
  byId('size').textContent = size;
  fit();
}

async function picked(html: string): Promise<void> {
  wanted = false;
  setOpen(true);
  say('');
  try {
    const answer = await ask<PickAnswer>('pick', { address, html });
    const page = state;
    if (page) open((owner) => ruleForm(answer, page, around(owner)));
  } catch (error) {
    byId('picked').replaceChildren(make('p', { className: 'bad' }, (error as Error).message));
  }
}

const highlight = (selector: string | null) => toPage({ needle: 'show', selector });

const isOpen = () => byId('tab').hidden === true;
const isLine = () => byId('line').hidden === false;

/** Tells the page where the panel stands. */
function stand(): void {
  byId('dock').setAttribute('aria-pressed', String(docked));
  toPage({ needle: 'corner', corner, docked });
}

/** The frame is as tall as what is in it, up to what the page allows. */
function fit(): void {
  const height = isOpen() ? Math.ceil(byId('panel').scrollHeight) + 2 : 0;
  toPage({ needle: 'size', open: isOpen(), height, line: isLine() });
}

/** What was kept for the next page; null where storage is kept from frames. */
function kept(key: string): string | null {
  try {
    return sessionStorage.getItem(key);
  } catch {
    return null;
  }
}

function keep(key: string, value: string): void {
  try {
    sessionStorage.setItem(key, value);
  } catch {
    // Then the next page starts as the first one.
  }
}

function setOpen(open: boolean): void {
  byId('panel').hidden = !open;
  byId('tab').hidden = open;
  byId('open').setAttribute('aria-expanded', String(open));
  keep(openKey, open ? 'yes' : '');
  fit();
  if (!open) {
    toPage({ needle: 'leave-pick' });
    highlight(null);
  }
}

byId('open').onclick = () => {
  setOpen(true);
  byId('path').focus();
};
byId('shut').onclick = () => {
  setOpen(false);
  byId('open').focus();
};
byId('before').onclick = () => void switchAll(false);
byId('after').onclick = () => void switchAll(true);
byId('pick').onclick = () => {
  wanted = byId('pick').getAttribute('aria-pressed') !== 'true';
  toPage({ needle: wanted ? 'pick' : 'leave-pick' });
};
window.addEventListener('keydown', (event) => {
  const picking = byId('pick').getAttribute('aria-pressed') === 'true';
  const isOnButton = event.key === 'Enter' && document.activeElement?.closest('#line') !== null;
  if (picking && /^(Arrow|Enter$|Escape$|b$)/.test(event.key) && !isOnButton) {
    event.preventDefault();
    toPage({ needle: 'key', key: event.key });
  } else if (event.key === 'Escape' && form) leave();
  else if ((event.key === 'Escape' && isOpen()) || (event.altKey && event.shiftKey && event.code === 'KeyN')) {
    setOpen(!isOpen());
    byId(isOpen() ? 'path' : 'open').focus();
  }
});
byId('below').onclick = () => toPage({ needle: 'below' });
byId('edge').onclick = () => toPage({ needle: 'other-edge' });
byId('stop').onclick = () => toPage({ needle: 'leave-pick' });
byId('move').onclick = () => {
  corner = corners[(corners.indexOf(corner) + 1) % corners.length] ?? corner;
  keep(cornerKey, corner);
  stand();
};
byId('dock').onclick = () => {
  docked = !docked;
  keep(dockedKey, docked ? 'yes' : '');
  stand();
};
byId('undo').onclick = () =>
  void ask<{ said: string }>('undo', {})
    .then(({ said }) => say(`Taken back: ${said}`))
    .catch((error: unknown) => say((error as Error).message));
byId('drop').onclick = () => void ask('draft', {});
onNews((news) => {
  if (news.kind === 'styles') toPage({ needle: 'styles', version: news.version });
  else if (news.kind === 'look') void look();
  // A page that was not captured may be affected by any script.
  else if (news.paths === null || state === null || state.path === null || news.paths.includes(state.path))
    toPage({ needle: 'reload' });
});
if (kept(openKey) === 'yes') setOpen(true);
new MutationObserver(fit).observe(byId('panel'), { childList: true, subtree: true, attributeFilter: ['hidden'] });
toPage({ needle: 'hello' });
stand();
void look();
