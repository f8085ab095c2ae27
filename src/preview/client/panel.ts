import type { PanelState, PickAnswer, ToPage, ToPanel } from '../protocol.js';
import { ask, badge, byId, make, switchRule, tell } from './dom.js';
import { onNews } from './news.js';
import { ruleForm } from './rule-form.js';

const frames = (document.body.dataset['frames'] ?? '').split(' ');
const openKey = 'local-needle-open';
let address = new URLSearchParams(location.search).get('address') ?? '/';
let state: PanelState | null = null;
/** Whether a person asked to pick something: pages could say so by themselves. */
let wanted = false;
/** The origin of the page around: only one of the preview's is spoken to. */
let outer = frames.find((each) => document.referrer.startsWith(`${each}/`)) ?? '';

/** Only pages of the preview are listened to; what they say is a hint, never an order to write. */
window.addEventListener('message', (event) => {
  if (event.source !== window.parent || !frames.includes(event.origin)) return;
  outer = event.origin;
  const words = event.data as ToPanel;
  if (words.needle === 'address') moveTo(words.address);
  else if (words.needle === 'toggle') setOpen(!isOpen());
  else if (words.needle === 'picking') showPicking(words.what);
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

function show({ shownPath, handles, rules, notices, problem }: PanelState): void {
  byId('path').textContent = shownPath;
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
    ...rules.map(({ name, note, place, status, verdict, says, hints }) => {
      const box = make('input', { type: 'checkbox', checked: status === 'on' });
      box.setAttribute('role', 'switch');
      box.disabled = status === 'paused' || status === 'expired';
      box.dataset['rule'] = name;
      box.onchange = () => void switchRule(name, box.checked);
      return make(
        'li',
        { className: status === 'on' ? '' : 'out' },
        make(
          'label',
          {},
          box,
          make('span', { className: 'name', title: place }, name),
          verdict ? badge(verdict) : null,
        ),
        make('p', { className: 'says' }, note ? `${note} ` : '', make('small', {}, says)),
        ...hints.map(({ level, text }) => make('p', { className: `says ${level === 'error' ? 'bad' : 'odd'}` }, text)),
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

function showPicking(what: string | null): void {
  byId('pick').setAttribute('aria-pressed', String(what !== null));
  tell('picking', what === null ? null : `Click an element, or use the arrow keys and Enter. Escape cancels. ${what}`);
}

async function picked(html: string): Promise<void> {
  wanted = false;
  setOpen(true);
  say('');
  try {
    const answer = await ask<PickAnswer>('pick', { address, html });
    const page = state;
    if (!page) return;
    const wider = () => {
      wanted = true;
      toPage({ needle: 'wider' });
    };
    const leave = () => byId('picked').replaceChildren();
    byId('picked').replaceChildren(ruleForm(answer, page, { copying, say, highlight, wider, leave }));
    byId('picked').querySelector<HTMLElement>('input, button')?.focus({ preventScroll: true });
    byId('panel').scrollTo(0, 0);
  } catch (error) {
    byId('picked').replaceChildren(make('p', { className: 'bad' }, (error as Error).message));
  }
}

const highlight = (selector: string | null) => toPage({ needle: 'show', selector });

const isOpen = () => byId('panel').hidden === false;

/** The frame is as tall as what is in it, up to what the page allows. */
function fit(): void {
  toPage({ needle: 'size', open: isOpen(), height: isOpen() ? Math.ceil(byId('panel').scrollHeight) + 2 : 0 });
}

/** Whether it was open on the page before; where storage is kept from frames, it was not. */
function wasOpen(): boolean {
  try {
    return sessionStorage.getItem(openKey) === 'yes';
  } catch {
    return false;
  }
}

function remember(open: boolean): void {
  try {
    sessionStorage.setItem(openKey, open ? 'yes' : '');
  } catch {
    // Then it starts closed on the next page.
  }
}

function setOpen(open: boolean): void {
  byId('panel').hidden = !open;
  byId('tab').hidden = open;
  byId('open').setAttribute('aria-expanded', String(open));
  remember(open);
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
  if (picking && /^(Arrow|Enter$|Escape$)/.test(event.key)) {
    event.preventDefault();
    toPage({ needle: 'key', key: event.key });
  } else if ((event.key === 'Escape' && isOpen()) || (event.altKey && event.shiftKey && event.code === 'KeyN')) {
    setOpen(!isOpen());
    byId(isOpen() ? 'path' : 'open').focus();
  }
});
onNews((news) => {
  if (news.kind === 'styles') toPage({ needle: 'styles', version: news.version });
  else if (news.kind === 'look') void look();
  // A page that was not captured may be affected by any script.
  else if (news.paths === null || state === null || state.path === null || news.paths.includes(state.path))
    toPage({ needle: 'reload' });
});
if (wasOpen()) setOpen(true);
new MutationObserver(fit).observe(byId('panel'), { childList: true, subtree: true, attributeFilter: ['hidden'] });
toPage({ needle: 'hello' });
void look();
