import type {
  AddRequest,
  CountAnswer,
  Doing,
  DraftAnswer,
  DraftChange,
  DraftRequest,
  DraftState,
  PanelState,
  PickAnswer,
} from '../protocol.js';
import { ask, badge, make } from './dom.js';

/** Callbacks of a form. */
export interface FormCallbacks {
  copying: (text: string, words?: string) => HTMLElement;
  say: (text: string) => void;
  highlight: (selector: string | null) => void;
  /** Shows what a draft puts into elements, and marks the page for it; none: as it was. */
  draft: (shown: Pick<DraftAnswer, 'swaps' | 'marks'>) => void;
  /** Picks the element around this one. */
  wider: () => void;
  /** Takes the form away, and its draft with it. */
  leave: () => void;
  /** The address of the page. */
  address: string;
  /** Whose draft it is and for which page, as a query. */
  owner: string;
}

/** A form that shows a draft on the page. */
export interface DraftForm {
  element: HTMLElement;
  /** Shows what the draft does, once it was judged. */
  update: (draft: DraftState | null) => void;
  /** Shows no more drafts, also none that is on its way. */
  end: () => void;
}

const doings: [Doing, string][] = [
  ['hide', 'Hide it'],
  ['only-here', 'Only here'],
  ['style', 'Restyle'],
  ['text', 'Other words'],
  ['image', 'Other image'],
];
const contentLabels: Partial<Record<Doing, string>> = {
  style: 'Declarations, such as color: teal;',
  text: 'Words',
  image: 'Image file, from the rule file, such as ../assets/logo.svg',
};

/** Time after a key stroke until a draft is shown, in milliseconds. */
const pause = 120;

/** Shows drafts of a form, the last of those that are asked for in a row, and what each does. */
function drafting(request: () => DraftRequest, { leave, owner, draft: onPage }: FormCallbacks) {
  // An error stays until something is changed, whatever is heard of the draft meanwhile.
  const wrong = make('p', { className: 'bad', hidden: true });
  const told = make('div');
  const result = make('div', { className: 'result' }, wrong, told);
  result.setAttribute('aria-live', 'polite');
  const write = make('button', { type: 'submit', disabled: true }, 'Write');
  let shown: DraftAnswer | null = null;
  let timer = 0;
  /** The request that is waited for, and whether any draft is wanted: one that comes back later is not shown. */
  let [turn, isWanted] = [0, false];
  const fail = (error: unknown) => {
    wrong.textContent = (error as Error).message;
    wrong.hidden = false;
    write.disabled = true;
  };
  const drop = () => ask(`draft?${owner}`, {});
  const show = async () => {
    const own = ++turn;
    isWanted = true;
    try {
      const answer = await ask<DraftAnswer>(`draft?${owner}`, request());
      if (own !== turn) {
        if (!isWanted) void drop();
        return;
      }
      shown = answer;
      onPage(shown);
      wrong.hidden = true;
      write.disabled = false;
      write.textContent = `Write to ${shown.file}`;
    } catch (error) {
      if (own === turn) fail(error);
    }
  };
  const end = () => {
    clearTimeout(timer);
    turn++;
    isWanted = false;
  };
  return {
    result,
    write,
    /** Nothing is drafted as yet. */
    none() {
      end();
      shown = null;
      told.replaceChildren();
      onPage({ swaps: [], marks: [] });
      void drop();
    },
    end,
    soon() {
      clearTimeout(timer);
      timer = window.setTimeout(() => void show(), pause);
    },
    async now() {
      clearTimeout(timer);
      try {
        await ask<DraftAnswer>('write', request());
        leave();
      } catch (error) {
        fail(error);
      }
    },
    update(draft: DraftState | null, isNew: boolean, apply: (change: DraftChange) => void) {
      if (!draft || draft.name !== shown?.name || draft.block !== shown.block) return;
      told.replaceChildren(...outcome(draft, isNew, apply));
      const isSound = draft.findings.every(({ level }) => level !== 'error');
      write.textContent = `Write to ${draft.file}${isSound ? '' : ' anyway'}`;
    },
  };
}

/** Selectors of the picked element with their counts, and a rule to be made with one of them. */
export function ruleForm(picked: PickAnswer, page: PanelState, around: FormCallbacks): DraftForm {
  const { copying, highlight, wider, leave, address } = around;
  const { proposals, counted, pages } = picked;
  const counts = counted < pages ? ` of ${counted} checked` : '';
  const choices = proposals.map(({ selector, here, captured, otherPages, reason }, index) => {
    const radio = make('input', { type: 'radio', name: 'selector', value: selector, checked: index === 0 });
    const late = captured === 0 ? ', added by a script' : '';
    const row = make(
      'div',
      {},
      make('label', {}, radio, make('code', {}, selector)),
      copying(selector, 'Copy'),
      make('small', {}, `${here} here${late}, on ${otherText(otherPages)}${counts}; ${reason}`),
    );
    row.onmouseenter = () => highlight(selector);
    row.onmouseleave = () => highlight(null);
    radio.onfocus = () => highlight(selector);
    radio.onblur = () => highlight(null);
    return row;
  });
  const ownRadio = make('input', { type: 'radio', name: 'selector', value: '', checked: choices.length === 0 });
  ownRadio.setAttribute('aria-label', 'Another selector');
  const own = make('input', { name: 'own', spellcheck: false, placeholder: 'Another selector' });
  own.setAttribute('aria-label', 'Another selector');
  const ownCount = make('small');
  ownCount.setAttribute('role', 'status');
  const ownRow = make('div', { className: 'own' }, ownRadio, own, ownCount);
  const wide = make('button', { type: 'button' }, 'The element around it');
  wide.onclick = wider;
  const away = make('button', { type: 'button', title: 'Escape' }, 'Cancel');
  away.onclick = leave;
  const heading = make('p', {}, picked.words ? `“${picked.words}”, ` : '', make('code', {}, picked.place));
  const doing = make(
    'fieldset',
    {},
    make('legend', {}, 'What to do'),
    ...doings.map(([value, text], index) =>
      make('label', {}, make('input', { type: 'radio', name: 'doing', value, checked: index === 0 }), text),
    ),
  );
  const content = make('textarea', { name: 'content', rows: 2, spellcheck: false });
  const contentLabel = make('label', { hidden: true }, 'Words', content);
  const important = make('input', { type: 'checkbox', name: 'important' });
  const importantLabel = make('label', { className: 'row', hidden: true }, important, 'important: yes');
  const on = make(
    'select',
    { name: 'pages' },
    ...page.handles.map(({ condition, sole, pages: number }) =>
      make('option', { value: condition }, `${condition}${sole ? '' : ` (${number} pages)`}`),
    ),
  );
  const choice = (words: string, names: string[], now: string | null) => {
    const options = ['', ...names].map((each) => make('option', { value: each }, each || 'any'));
    const field = make('select', {}, ...options);
    field.value = now ?? '';
    const label = make('label', { className: 'line', hidden: names.length === 0 }, words, field);
    return { field, label };
  };
  const state = choice('State', page.states, page.now.state);
  const visitor = choice('Visitor', page.visitors, page.now.visitor);
  const name = make('input', { name: 'name', required: true, spellcheck: false });
  const note = make('input', { name: 'note', placeholder: 'Why? Ships as a comment.' });
  let named = false;
  const chosen = (field: string) => form.querySelector<HTMLInputElement>(`[name=${field}]:checked`)?.value ?? '';
  const selectorNow = () => (ownRadio.checked ? own.value.trim() : chosen('selector'));
  const rule = (): AddRequest => {
    const [selector, kind] = [selectorNow(), chosen('doing') as Doing];
    return {
      ...{ doing: kind, selector, content: content.value, pages: on.value, name: name.value, note: note.value },
      important: kind === 'style' && important.checked,
      addedByScript: proposals.find((each) => each.selector === selector)?.captured === 0,
      ...{ state: state.field.value || null, visitor: visitor.field.value || null },
    };
  };
  const draft = drafting(() => ({ rule: rule() }), around);
  const form = make(
    'form',
    { className: 'rule-form' },
    heading,
    make('p', { className: 'tools' }, wide, away),
    make('fieldset', { className: 'proposals' }, make('legend', {}, 'Selector'), ...choices, ownRow),
    doing,
    contentLabel,
    importantLabel,
    make('label', { className: 'line' }, 'Pages', on),
    state.label,
    visitor.label,
    make('label', { className: 'line' }, 'Name', name),
    make('label', { className: 'line' }, 'Note', note),
    draft.result,
    draft.write,
  );
  const changed = () => {
    const kind = chosen('doing') as Doing;
    const label = contentLabels[kind];
    contentLabel.hidden = label === undefined;
    importantLabel.hidden = kind !== 'style';
    contentLabel.firstChild?.replaceWith(label ?? '');
    const selector = selectorNow();
    if (!named) name.value = usualName(kind, selector, page.shownPath);
    draft.write.disabled = true;
    if (selector === '' || (label !== undefined && content.value.trim() === '')) draft.none();
    else draft.soon();
  };
  let timer = 0;
  const countOwn = () => {
    clearTimeout(timer);
    const selector = own.value.trim();
    highlight(selector === '' ? null : selector);
    ownCount.textContent = '';
    if (selector !== '')
      timer = window.setTimeout(() => void count(selector, { address, shown: ownCount, take }), pause);
  };
  const take = (selector: string) => {
    own.value = selector;
    ownRadio.checked = true;
    countOwn();
    changed();
  };
  own.addEventListener('input', () => {
    ownRadio.checked = true;
    countOwn();
  });
  own.onblur = () => highlight(null);
  name.addEventListener('input', () => (named = true));
  form.addEventListener('input', changed);
  form.onsubmit = (event) => {
    event.preventDefault();
    void draft.now();
  };
  changed();
  return {
    element: form,
    end: draft.end,
    update: (state) =>
      draft.update(state, true, ({ selector, important: isImportant }) => {
        if (isImportant) important.checked = true;
        if (selector) take(selectorNow().replace(selector.from, () => selector.to));
        changed();
      }),
  };
}

/** Says how often a selector matches; near misses can be taken. */
async function count(
  selector: string,
  { address, shown, take }: { address: string; shown: HTMLElement; take: (selector: string) => void },
): Promise<void> {
  try {
    const { elements, otherPages, counted, pages, near } = await ask<CountAnswer>('count', { address, selector });
    const of = counted < pages ? ` of ${counted} counted so far` : '';
    shown.replaceChildren(
      `${elements} here, on ${otherText(otherPages)}${of}`,
      ...near.map((each) => {
        const button = make('button', { type: 'button', className: 'copy' }, each.selector);
        button.onclick = () => take(each.selector);
        return make('span', {}, ' · ', button, ` ${each.elements} here${each.why ? `, ${each.why}` : ''}`);
      }),
    );
  } catch (error) {
    shown.textContent = (error as Error).message;
  }
}

/** The text of a rule, shown on the page as it is changed. */
export function editForm(
  { name, status, place }: PanelState['rules'][number],
  text: string,
  around: FormCallbacks & { change: (what: 'pause' | 'resume' | 'delete') => void },
): DraftForm {
  const area = make('textarea', { name: 'text', rows: Math.min(16, text.split('\n').length + 3), value: text });
  area.spellcheck = false;
  const draft = drafting(() => ({ edit: { name, text: area.value } }), around);
  const button = (words: string, what: () => void) => {
    const own = make('button', { type: 'button' }, words);
    own.onclick = what;
    return own;
  };
  const pausing = status === 'paused' ? 'resume' : 'pause';
  const form = make(
    'form',
    { className: 'rule-form' },
    make('label', {}, `${name}, ${place}`, area),
    draft.result,
    make(
      'p',
      { className: 'tools' },
      draft.write,
      button('Cancel', around.leave),
      button(pausing === 'pause' ? 'Pause' : 'Resume', () => around.change(pausing)),
      button('Delete', () => around.change('delete')),
      button(
        'Open in editor',
        () => void ask('open', { rule: name }).catch((error: unknown) => around.say((error as Error).message)),
      ),
    ),
  );
  area.addEventListener('input', () => {
    draft.write.disabled = true;
    draft.soon();
  });
  form.onsubmit = (event) => {
    event.preventDefault();
    void draft.now();
  };
  return {
    element: form,
    end: draft.end,
    update: (state) =>
      draft.update(state, false, ({ selector, important }) => {
        if (selector) area.value = area.value.replace(selector.from, () => selector.to);
        if (important) area.value = area.value.replace(/\{/, '{\n  important: yes;');
        draft.soon();
      }),
  };
}

/** What a draft does: the text of a new one, its verdicts, what was found, and what may mend that. */
function outcome(
  { block, cells, findings, judged }: DraftState,
  isNew: boolean,
  apply: (change: DraftChange) => void,
): Node[] {
  const elements = cells.reduce((sum, each) => sum + each.elements, 0);
  return [
    ...(isNew ? [make('pre', {}, block)] : []),
    make(
      'p',
      {},
      ...(judged ? [] : ['Being checked… ']),
      ...cells
        .slice(0, 3)
        .flatMap(({ page, verdict, elements: number }) => [badge(verdict), ` ${page}, ${elementsText(number)} `]),
      cells.length > 3 ? `and ${cells.length - 3} more pages, ${elementsText(elements)} in all` : '',
    ),
    ...findings.slice(0, 8).map(({ level, message, hint, changes }) =>
      make(
        'p',
        { className: level === 'error' ? 'bad' : 'odd' },
        hint ? `${message} → ${hint} ` : `${message} `,
        ...changes.slice(0, 3).map((change) => {
          const button = make('button', { type: 'button' }, `Apply: ${change.title}`);
          button.onclick = () => apply(change);
          return button;
        }),
      ),
    ),
  ];
}

const otherText = (number: number) => `${number} other ${number === 1 ? 'page' : 'pages'}`;
const elementsText = (number: number) => `${number} ${number === 1 ? 'element' : 'elements'}`;

/** A name that says what the rule does where: `hide-masthead-tickets-pay`. */
function usualName(doing: string, selector: string, path: string): string {
  const words = (text: string) => text.match(/[A-Za-z][\w-]*/g) ?? [];
  const plain = selector.replace(/::?[\w-]+(?:\([^()]*\))?|\[[^\]]*\]/g, '').trim();
  const [last = 'element'] = words(plain.split(/[\s>+~]+/).at(-1) ?? '').slice(-1);
  return [doing, last, ...words(path.replace(/\?.*$/, ''))].join('-').toLowerCase().slice(0, 60);
}
