// The looks: a page in frames of the sizes that were chosen, with and without the rules, and its verdicts beside it.
import type { FromFrame, LookRequest, LooksState, OverviewState, PanelState, Seat, ToFrame } from '../protocol.js';
import { ask, badge, byId, hintLines, make, ruleBox, tell } from './dom.js';
import { onNews } from './news.js';

type Rules = 'on' | 'off' | 'both';

const origins = { on: document.body.dataset['pages'] ?? '', off: document.body.dataset['bare'] ?? '' };
const select = (id: string) => byId<HTMLSelectElement>(id);
const page = byId<HTMLInputElement>('page');
const edge = byId<HTMLInputElement>('edge');
let address = new URLSearchParams(location.search).get('address') ?? '/';
let looks: LooksState | null = null;
let shown = '';

/** A page in a frame: at a viewport, with the rules or without. */
interface Framed {
  frame: HTMLIFrameElement;
  origin: string;
  seat: Seat;
  figure: HTMLElement;
  /** Where it said that it is. */
  at: string;
  /** Whether it said anything: before, nothing of the preview is in it. */
  speaks: boolean;
}
let all: Framed[] = [];
/** When frames moved the others; so many moves in this time, in milliseconds, are a circle. */
let moves: number[] = [];
const [mostMoves, movesMs] = [6, 4000];

const rulesShown = () => document.querySelector<HTMLInputElement>('[name=rules]:checked')?.value as Rules;

async function look(): Promise<void> {
  try {
    looks = await ask<LooksState>('looks.json');
    tell('problem', null);
    choices(looks);
    build();
    await verdicts();
  } catch (error) {
    tell('problem', (error as Error).message);
  }
}

/** Fills the choices; what there is nothing to choose of is not shown. */
function choices({ now, viewports, states, visitors }: LooksState): void {
  const beside = select('beside').value;
  const fill = (id: string, options: [value: string, words: string, isOff?: boolean][], value: string) => {
    const made = options.map(([option, words, isOff = false]) =>
      make('option', { value: option, disabled: isOff }, words),
    );
    select(id).replaceChildren(...made);
    select(id).value = value;
    const label = select(id).closest('label');
    if (label) label.hidden = options.length < 2;
  };
  const sizes = viewports.map(({ name, width, height }): [string, string] => [name, `${name} ${width} × ${height}`]);
  fill('viewport', sizes, now.viewport);
  fill('beside', [['', 'nothing'], ...sizes], beside);
  fill('state', [['', 'as it is'], ...states.map((name): [string, string] => [name, name])], now.state ?? '');
  const asked = visitors.map(({ name, captured }): [string, string, boolean] => [
    name,
    captured ? name : `${name} (not captured)`,
    !captured,
  ]);
  fill('visitor', [['', 'anybody'], ...asked], now.visitor ?? '');
  select('scheme').value = now.colorScheme ?? '';
  byId<HTMLInputElement>('print').checked = now.print;
}

/** What was chosen, asked of the preview: its verdicts follow. */
async function choose(): Promise<void> {
  const wanted: LookRequest = {
    viewport: select('viewport').value,
    state: select('state').value || null,
    visitor: select('visitor').value || null,
    colorScheme: (select('scheme').value || null) as LookRequest['colorScheme'],
    print: byId<HTMLInputElement>('print').checked,
  };
  const failed = await ask('looks', wanted).then(
    () => null,
    (error: unknown) => (error as Error).message,
  );
  await look();
  if (failed !== null) tell('problem', failed);
}

const seat = (name: string) => looks?.viewports.find((each) => each.name === name);

/** Puts up the frames that were chosen; those that stand already are left alone. */
function build(): void {
  const seats = [seat(select('viewport').value), seat(select('beside').value)].filter((each) => each !== undefined);
  const rules = rulesShown();
  const wanted = JSON.stringify([seats, rules]);
  byId('edge-label').hidden = rules !== 'both';
  if (wanted === shown) return fit();
  shown = wanted;
  all = [];
  byId('frames').replaceChildren(
    ...seats.map((each) => {
      const stage = make('div', { className: 'stage' });
      const figure = make('figure', {}, make('figcaption', {}), stage);
      for (const which of rules === 'both' ? (['off', 'on'] as const) : [rules]) {
        const frame = make('iframe', { title: `${each.name}, rules ${which}`, src: origins[which] + address });
        // Pages that would be no frame must not take this one's place.
        frame.setAttribute('sandbox', 'allow-scripts allow-same-origin allow-forms allow-popups allow-modals');
        stage.append(frame);
        all.push({ frame, origin: origins[which], seat: each, figure, at: address, speaks: false });
      }
      return figure;
    }),
  );
  fit();
}

/** Frames have their real size, made smaller to see where there is no room. */
function fit(): void {
  const figures = [...document.querySelectorAll<HTMLElement>('#frames figure')];
  const room = byId('frames').clientWidth - 24 * (figures.length - 1);
  const needed = figures.map((figure) => all.find((each) => each.figure === figure)?.seat.width ?? 1);
  const scale = Math.min(1, room / needed.reduce((sum, each) => sum + each, 0));
  for (const { frame, seat: own, figure, origin } of all) {
    const { width, height, name } = own;
    const stage = figure.lastElementChild as HTMLElement;
    stage.style.setProperty('width', `${width * scale}px`);
    stage.style.setProperty('height', `${height * scale}px`);
    frame.style.setProperty('width', `${width}px`);
    frame.style.setProperty('height', `${height}px`);
    frame.style.setProperty('transform', `scale(${scale})`);
    const isOver = rulesShown() === 'both' && origin === origins.on;
    frame.style.setProperty('clip-path', isOver ? `inset(0 0 0 ${edge.value}%)` : 'none');
    stage.style.setProperty('--edge', rulesShown() === 'both' ? `${edge.value}%` : '-9px');
    const rules = { on: 'rules on', off: 'rules off', both: 'rules off | on' }[rulesShown()];
    const small = scale < 1 ? `, shown at ${Math.round(scale * 100)} %` : '';
    const caption = `${name}, ${width} × ${height}${small}; ${rules}`;
    if (figure.firstElementChild) figure.firstElementChild.textContent = caption;
  }
}

async function verdicts(): Promise<void> {
  const state = await ask<PanelState>(`panel.json?${new URLSearchParams({ address }).toString()}`);
  if (document.activeElement !== page) page.value = address;
  const named = [looks?.now.viewport, looks?.now.state, looks?.now.visitor].filter((each) => each);
  const also = [looks?.now.colorScheme, looks?.now.print ? 'printed' : null].filter((each) => each);
  byId('verdicts-title').replaceChildren(
    `${state.shownPath} `,
    make('small', {}, `at ${[...named, ...also].join(', ')}`),
  );
  document.title = `${state.shownPath} ${[...named, ...also].join(', ')}`;
  tell('problem', state.problem && `These are the last valid rules.\n\n${state.problem}`);
  const none = make('li', {}, 'No rule targets this page.');
  byId('rules').replaceChildren(
    ...state.rules.map(({ name, note, status, verdict, says, hints }) => {
      const box = ruleBox({ name, status });
      return make(
        'li',
        { className: status === 'on' ? '' : 'out' },
        make('label', {}, box, make('span', { className: 'name' }, name), verdict ? badge(verdict) : null),
        make('p', { className: 'says' }, note ? `${note} ` : '', make('small', {}, says)),
        ...hintLines(hints),
      );
    }),
    ...(state.rules.length === 0 ? [none] : []),
  );
}

const sayTo = ({ frame, origin, speaks }: Framed, words: ToFrame) =>
  speaks && frame.contentWindow?.postMessage(words, origin);

function moveTo(next: string): void {
  address = next;
  for (const each of all)
    if (each.at !== next) {
      each.at = next;
      each.frame.src = each.origin + next;
    }
  history.replaceState(null, '', `looks?${new URLSearchParams({ address }).toString()}`);
  void verdicts().catch((error: unknown) => tell('problem', (error as Error).message));
}

/** Frames say where they are, and how far they are scrolled. What they say is a hint, never an order. */
window.addEventListener('message', (event) => {
  const from = all.find(({ frame, origin }) => event.source === frame.contentWindow && event.origin === origin);
  if (!from) return;
  const words = event.data as FromFrame;
  if (words.needle === 'framed' && typeof words.address === 'string' && words.address.startsWith('/')) {
    from.at = words.address;
    from.speaks = true;
    sayTo(from, { needle: 'as', medium: from.seat.medium });
    if (words.address === address) return;
    // A page that leads elsewhere at one size and back at another would never stand still.
    moves = [...moves, event.timeStamp].filter((each) => event.timeStamp - each < movesMs);
    if (moves.length > mostMoves) tell('problem', 'The frames lead to different pages, so each stays where it is.');
    else moveTo(words.address);
  } else if (words.needle === 'scrolled')
    for (const each of all)
      if (each !== from && each.figure === from.figure) sayTo(each, { needle: 'scroll', top: words.top });
});

for (const id of ['viewport', 'state', 'visitor', 'scheme', 'print']) byId(id).onchange = () => void choose();
select('beside').onchange = build;
for (const radio of document.querySelectorAll<HTMLInputElement>('[name=rules]')) radio.onchange = build;
edge.oninput = fit;
byId('tools').onsubmit = (event) => {
  event.preventDefault();
  if (page.value.startsWith('/')) moveTo(page.value);
};
page.onchange = () => page.value.startsWith('/') && moveTo(page.value);
window.addEventListener('resize', fit);
onNews((news) => {
  if (news.kind === 'look') void verdicts().catch((error: unknown) => tell('problem', (error as Error).message));
  for (const each of all) {
    if (news.kind === 'styles') sayTo(each, { needle: 'styles', version: news.version });
    if (news.kind === 'reload') sayTo(each, { needle: 'reload' });
  }
  if (news.kind === 'reload') void look();
});
void look();
void ask<OverviewState>('overview.json').then(({ pages }) =>
  byId('paths').replaceChildren(...pages.map(({ address, title }) => make('option', { value: address, label: title }))),
);
