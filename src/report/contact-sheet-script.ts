/**
 * Runs in the contact sheet: filters its pairs, and shows one in full, side by side, with a slider, laid over each other or
 * in turns. Must not use anything from outside itself.
 */
export function sheetScript(): void {
  const one = <T extends Element>(selector: string, within: ParentNode = document) => within.querySelector<T>(selector);
  const cards = [...document.querySelectorAll<HTMLElement>('article')];
  const form = one<HTMLFormElement>('#filter');
  const dialog = one<HTMLDialogElement>('#large');
  const compared = one<HTMLElement>('.compared');
  if (!form || !dialog || !compared) return;
  const value = (name: string) => one<HTMLInputElement>(`[name="${name}"]`, form)?.value ?? '';
  const filter = () => {
    const words = value('words').toLowerCase().trim();
    let shown = 0;
    for (const card of cards) {
      const { path = '', rules = '', viewports = '' } = card.dataset;
      const isShown =
        `${path} ${rules}`.toLowerCase().includes(words) &&
        (!value('rule') || rules.split(' ').includes(value('rule'))) &&
        (!value('viewport') || viewports.split(' ').includes(value('viewport')));
      card.hidden = !isShown;
      shown += Number(isShown);
    }
    const told = one<HTMLOutputElement>('output', form);
    if (told) told.value = shown < cards.length ? `${shown} of ${cards.length} pairs` : '';
  };
  form.hidden = false;
  form.addEventListener('input', filter);
  form.addEventListener('submit', (event) => event.preventDefault());
  let [at, mode, flickering] = [0, 'beside', 0];
  const show = (number: number) => {
    const card = cards[number];
    if (!card || card.hidden) return;
    at = number;
    const frames = [...card.querySelectorAll('.frame')].map((frame) => frame.cloneNode(true) as HTMLElement);
    for (const image of frames.flatMap((frame) => [...frame.querySelectorAll('img')])) image.loading = 'eager';
    compared.replaceChildren(...frames);
    compared.style.setProperty('--width', `${card.dataset['width'] ?? ''}px`);
    for (const [selector, from] of [
      ['h2', 'h3'],
      ['.told', 'p'],
    ] as const) {
      const told = one(selector, dialog);
      if (told) told.textContent = one(from, card)?.textContent ?? '';
    }
    if (!dialog.open) dialog.showModal();
    dialog.scrollTop = 0;
  };
  const step = (by: number) => {
    let next = at + by;
    while (cards[next]?.hidden) next += by;
    show(next);
  };
  const turn = (name: string) => {
    mode = name;
    clearInterval(flickering);
    compared.className = `compared ${mode}${one<HTMLInputElement>('[name=outlines]', dialog)?.checked ? '' : ' plain'}`;
    const input = one<HTMLInputElement>(`[name=mode][value=${mode}]`, dialog);
    if (input) input.checked = true;
    if (mode === 'flicker') flickering = window.setInterval(() => compared.classList.toggle('first'), 500);
  };
  const edge = one<HTMLInputElement>('[name=edge]', dialog);
  const slide = () => compared.style.setProperty('--edge', `${edge?.value ?? 50}%`);
  edge?.addEventListener('input', slide);
  compared.addEventListener('pointermove', ({ clientX }) => {
    const box = compared.lastElementChild?.getBoundingClientRect();
    if (mode !== 'slider' || !edge || !box) return;
    edge.value = String(((clientX - box.left) / box.width) * 100);
    slide();
  });
  dialog.addEventListener('change', ({ target }) => {
    if (target instanceof HTMLInputElement && target.name !== 'edge')
      turn(target.name === 'mode' ? target.value : mode);
  });
  dialog.addEventListener('click', ({ target }) => {
    const name = target instanceof HTMLButtonElement ? target.value : '';
    if (name === 'close') dialog.close();
    else if (name) step(name === 'next' ? 1 : -1);
  });
  dialog.addEventListener('close', () => {
    clearInterval(flickering);
    one<HTMLElement>('.picture', cards[at])?.focus();
  });
  dialog.addEventListener('keydown', (event) => {
    if (event.target instanceof HTMLInputElement && event.target.type === 'range') return;
    const named = ['beside', 'slider', 'overlay', 'flicker'][Number(event.key) - 1];
    if (named) turn(named);
    else if (event.key === 'ArrowRight' || event.key === 'ArrowLeft') step(event.key === 'ArrowRight' ? 1 : -1);
    else if (event.key === 'o') {
      const outlines = one<HTMLInputElement>('[name=outlines]', dialog);
      if (outlines) outlines.checked = !outlines.checked;
      turn(mode);
    } else return;
    event.preventDefault();
  });
  cards.forEach((card, number) => {
    for (const picture of card.querySelectorAll<HTMLElement>('.picture')) {
      picture.tabIndex = 0;
      picture.style.cursor = 'zoom-in';
      const open = (event: Event) => {
        event.preventDefault();
        show(number);
        turn(mode);
        slide();
      };
      picture.addEventListener('click', open);
      picture.addEventListener('keydown', (event) => {
        if (event.key === 'Enter') open(event);
      });
    }
  });
}
