import type { AddAnswer, AddRequest, Doing, PanelState, PickAnswer } from '../protocol.js';
import { ask, badge, make } from './dom.js';

/** Callbacks of the form. */
export interface Around {
  copying: (text: string, words?: string) => HTMLElement;
  say: (text: string) => void;
  highlight: (selector: string | null) => void;
  /** Picks the element around this one. */
  wider: () => void;
  /** Takes the form away. */
  leave: () => void;
}

const doings: [Doing, string][] = [
  ['hide', 'Hide it'],
  ['text', 'Change text'],
  ['style', 'Restyle'],
  ['only-here', 'Only here'],
];

/** Time after a key stroke until a rule is tried, in milliseconds. */
const pause = 250;

/** Selectors of the picked element with their counts, and a rule to be made with one of them. */
export function ruleForm(
  picked: PickAnswer,
  page: PanelState,
  { copying, say, highlight, wider, leave }: Around,
): HTMLElement {
  const { proposals, counted, pages } = picked;
  const counts = counted < pages ? ` of ${counted} checked` : '';
  const choices = proposals.map(({ selector, here, captured, otherPages, reason }, index) => {
    const radio = make('input', { type: 'radio', name: 'selector', value: selector, checked: index === 0 });
    const late = captured === 0 ? ', added by a script' : '';
    const row = make(
      'div',
      {},
      make('label', {}, radio, make('code', {}, selector), copying(selector, 'Copy')),
      make('small', {}, `${here} here${late}, on ${otherPages} other pages${counts}; ${reason}`),
    );
    row.onmouseenter = () => highlight(selector);
    row.onmouseleave = () => highlight(null);
    radio.onfocus = () => highlight(selector);
    radio.onblur = () => highlight(null);
    return row;
  });
  const around = make('button', { type: 'button' }, 'The element around it');
  around.onclick = wider;
  const away = make('button', { type: 'button' }, 'Cancel');
  away.onclick = leave;
  const heading = make('p', {}, picked.words ? `“${picked.words}”, ` : '', make('code', {}, picked.place));
  const steps = make('p', { className: 'tools' }, around, away);
  if (choices.length === 0)
    return make(
      'div',
      {},
      heading,
      steps,
      make('p', {}, 'No selector matches only this element. Give it a class in the template.'),
    );
  const doing = make(
    'fieldset',
    {},
    ...doings.map(([value, text], index) =>
      make('label', {}, make('input', { type: 'radio', name: 'doing', value, checked: index === 0 }), text),
    ),
  );
  const content = make('textarea', { name: 'content', rows: 2 });
  const contentLabel = make('label', { hidden: true }, 'Words', content);
  const on = make(
    'select',
    { name: 'pages' },
    ...page.handles.map(({ condition, sole, pages: number }) =>
      make('option', { value: condition }, `${condition}${sole ? '' : ` (${number} pages)`}`),
    ),
  );
  const name = make('input', { name: 'name', required: true, spellcheck: false });
  const note = make('input', { name: 'note', placeholder: 'Why? Ships as a comment.' });
  const result = make('div');
  result.setAttribute('aria-live', 'polite');
  const write = make('button', { type: 'submit', disabled: true }, 'Write the rule');
  const form = make(
    'form',
    { className: 'rule-form' },
    heading,
    steps,
    make('fieldset', { className: 'proposals' }, make('legend', {}, 'Selector'), ...choices),
    doing,
    contentLabel,
    make('label', {}, 'Pages', on),
    make('label', {}, 'Name', name),
    make('label', {}, 'Note', note),
    result,
    write,
  );
  let named = false;
  let sound = true;
  const chosen = (field: string) => form.querySelector<HTMLInputElement>(`[name=${field}]:checked`)?.value ?? '';
  const asked = (writing: boolean): AddRequest => {
    const selector = chosen('selector');
    return {
      ...{ doing: chosen('doing') as Doing, selector, content: content.value, pages: on.value },
      ...{ name: name.value, note: note.value, write: writing, force: writing && !sound },
      addedByScript: proposals.find((each) => each.selector === selector)?.captured === 0,
    };
  };
  const attempt = async (writing: boolean) => {
    try {
      const answer = await ask<AddAnswer>('add', asked(writing));
      sound = answer.findings.every(({ level }) => level !== 'error');
      result.replaceChildren(...outcome(answer));
      write.disabled = answer.written;
      write.textContent = sound ? `Write to ${answer.file}` : `Write to ${answer.file} anyway`;
      if (answer.written) say(`Written to ${answer.file}`);
    } catch (error) {
      result.replaceChildren(make('p', { className: 'bad' }, (error as Error).message));
      write.disabled = true;
    }
  };
  let timer = 0;
  const changed = () => {
    const kind = chosen('doing');
    contentLabel.hidden = kind !== 'text' && kind !== 'style';
    contentLabel.firstChild?.replaceWith(kind === 'style' ? 'Declarations, such as color: teal;' : 'Words');
    if (!named) name.value = usualName(kind, chosen('selector'), page.shownPath);
    clearTimeout(timer);
    write.disabled = true;
    timer = window.setTimeout(() => {
      if (contentLabel.hidden || content.value.trim() !== '') void attempt(false);
    }, pause);
  };
  name.addEventListener('input', () => (named = true));
  form.addEventListener('input', changed);
  form.onsubmit = (event) => {
    event.preventDefault();
    void attempt(true);
  };
  changed();
  return form;
}

/** The result of trying or writing a rule: its text, its verdicts, its findings. */
function outcome({ block, file, written, verdicts, findings }: AddAnswer): Node[] {
  return [
    make('pre', {}, block),
    make(
      'p',
      {},
      written ? `Added to the end of ${file}. ` : '',
      ...verdicts.slice(0, 3).flatMap(({ page, verdict, elements }) => [badge(verdict), ` ${page}: ${elements} `]),
      verdicts.length > 3 ? `and ${verdicts.length - 3} more pages` : '',
    ),
    ...findings.map(({ level, message, hint }) =>
      make('p', { className: level === 'error' ? 'bad' : 'odd' }, hint ? `${message} → ${hint}` : message),
    ),
  ];
}

/** A name that says what the rule does where: `hide-masthead-tickets-pay`. */
function usualName(doing: string, selector: string, path: string): string {
  const words = (text: string) => text.match(/[A-Za-z][\w-]*/g) ?? [];
  const [last = 'element'] = words(selector.split(/[\s>]+/).at(-1) ?? '').slice(-1);
  return [doing, last, ...words(path.replace(/\?.*$/, ''))].join('-').toLowerCase().slice(0, 60);
}
