import { html, type DefaultTreeAdapterTypes as Tree } from 'parse5';

export type Element = Tree.Element;

export const isElement = (node: unknown): node is Element =>
  typeof node === 'object' && node !== null && 'tagName' in node;

/** The value of an attribute; undefined where it is missing. */
export const attributeOf = (element: Element, name: string): string | undefined =>
  element.attrs.find((each) => each.name === name)?.value;

const has = (element: Element, name: string) => attributeOf(element, name) !== undefined;

/** The names of HTML's own elements only: a `<select>` inside an SVG is none. */
const isA = (element: Element, ...names: string[]) =>
  element.namespaceURI === html.NS.HTML && names.includes(element.tagName);

const inputTypes =
  `hidden text search tel url email password date month week time datetime-local number range color checkbox
  radio file submit image reset button`.split(/\s+/);

/** The type of an `<input>` (HTML Standard, 4.10.5.1); null for another element. */
function inputType(element: Element): string | null {
  if (!isA(element, 'input')) return null;
  const type = attributeOf(element, 'type')?.toLowerCase() ?? '';
  return inputTypes.includes(type) ? type : 'text';
}

/** Input types that `readonly` applies to. */
const written = 'text search url tel email password date month week time datetime-local number'.split(' ');
/** Those that show a placeholder, as Chromium has it. */
const withPlaceholder = 'text search url tel email password number'.split(' ');
/** Those that `required` does not apply to. */
const neverRequired = 'hidden range color submit image reset button'.split(' ');
const ranged = 'date month week time datetime-local number range'.split(' ');

function nearest(element: Element, is: (each: Element) => boolean): Element | null {
  for (let at: Tree.ParentNode | null = element.parentNode; isElement(at); at = at.parentNode) if (is(at)) return at;
  return null;
}

/** Elements inside, in the order of the source; a page may be deeper than calls can be. */
function descendants(element: Element): Element[] {
  const found: Element[] = [];
  const open = element.childNodes.filter(isElement).reverse();
  for (let at = open.pop(); at; at = open.pop()) {
    found.push(at);
    open.push(...at.childNodes.filter(isElement).reverse());
  }
  return found;
}

const textInside = (element: Element) => element.childNodes.map((node) => ('value' in node ? node.value : '')).join('');

/** Whether an element is actually disabled (HTML Standard, 4.16.3). */
export function isDisabled(element: Element): boolean {
  if (isA(element, 'optgroup', 'option')) {
    // In the standard an option is disabled by its optgroup alone; in Chromium by its drop-down too.
    const above = nearest(element, (each) => isA(each, 'optgroup', 'select'));
    return has(element, 'disabled') || (above !== null && isDisabled(above));
  }
  if (!isA(element, 'button', 'input', 'select', 'textarea', 'fieldset')) return false;
  if (has(element, 'disabled')) return true;
  let inside: Element = element;
  for (let at: Tree.ParentNode | null = element.parentNode; isElement(at); inside = at, at = at.parentNode) {
    if (!isA(at, 'fieldset') || !has(at, 'disabled')) continue;
    const firstLegend = at.childNodes.find((node) => isElement(node) && isA(node, 'legend'));
    if (firstLegend !== inside) return true;
  }
  return false;
}

/** Whether an element can be disabled and is not. */
export const isEnabled = (element: Element): boolean =>
  isA(element, 'button', 'input', 'select', 'textarea', 'optgroup', 'option', 'fieldset') && !isDisabled(element);

/** The form that an element belongs to (HTML Standard, 4.10.17.3); null for none. */
function formOf(element: Element): Element | null {
  const id = attributeOf(element, 'form');
  if (id === undefined) return nearest(element, (each) => isA(each, 'form'));
  const found = inTree(element).find((each) => attributeOf(each, 'id') === id);
  return found && isA(found, 'form') ? found : null;
}

function inTree(element: Element): Element[] {
  let root = element;
  while (isElement(root.parentNode)) root = root.parentNode;
  return [root, ...descendants(root)];
}

/** The radio buttons of a group, the given one included. */
function groupOf(radio: Element): Element[] {
  const name = attributeOf(radio, 'name') ?? '';
  if (name === '') return [radio];
  const form = formOf(radio);
  return inTree(radio).filter(
    (each) => inputType(each) === 'radio' && attributeOf(each, 'name') === name && formOf(each) === form,
  );
}

/** Whether an option is selected before anybody chose: the last one that says so, else the first of a drop-down. */
function isSelected(option: Element): boolean {
  const select = nearest(option, (each) => isA(each, 'select'));
  if (!select || has(select, 'multiple')) return has(option, 'selected');
  const options = descendants(select).filter((each) => isA(each, 'option'));
  const said = options.filter((each) => has(each, 'selected'));
  if (said.length > 0) return said.at(-1) === option;
  return displaySize(select) === 1 && options.find((each) => !isBarredOption(each)) === option;
}

/** Whether an option cannot be chosen by itself; whether its drop-down can be used does not count. */
const isBarredOption = (option: Element): boolean =>
  has(option, 'disabled') ||
  (nearest(option, (each) => isA(each, 'optgroup', 'select'))?.tagName === 'optgroup' &&
    nearest(option, (each) => isA(each, 'optgroup'))?.attrs.some(({ name }) => name === 'disabled') === true);

function displaySize(select: Element): number {
  const size = Number.parseInt(attributeOf(select, 'size') ?? '', 10);
  return size > 0 ? size : has(select, 'multiple') ? 4 : 1;
}

/** Whether `:checked` matches on the page at rest. */
export function isChecked(element: Element): boolean {
  if (isA(element, 'option')) return isSelected(element);
  const type = inputType(element);
  if (type === 'checkbox') return has(element, 'checked');
  // Of several radio buttons the last one stays checked.
  return (
    type === 'radio' &&
    has(element, 'checked') &&
    groupOf(element)
      .filter((each) => has(each, 'checked'))
      .at(-1) === element
  );
}

/** Whether `:indeterminate` matches on the page at rest. */
export const isIndeterminate = (element: Element): boolean =>
  isA(element, 'progress')
    ? !has(element, 'value')
    : inputType(element) === 'radio' && !groupOf(element).some((each) => has(each, 'checked'));

/** Whether `:required` matches. */
export function isRequired(element: Element): boolean {
  const type = inputType(element);
  return (
    (isA(element, 'select', 'textarea') || (type !== null && !neverRequired.includes(type))) && has(element, 'required')
  );
}

/** Whether `:optional` matches. */
export const isOptional = (element: Element): boolean =>
  isA(element, 'input', 'select', 'textarea', 'button') && !isRequired(element);

/** Whether `:read-write` matches. */
export function isReadWrite(element: Element): boolean {
  const type = inputType(element);
  if (!isA(element, 'textarea', 'input')) return isEditable(element);
  return (type === null || written.includes(type)) && !has(element, 'readonly') && !isDisabled(element);
}

/** Whether an element is inside of what a user may edit (HTML Standard, 6.8.1). */
function isEditable(element: Element): boolean {
  for (let at: Tree.ParentNode | null = element; isElement(at); at = at.parentNode) {
    const value = at.namespaceURI === html.NS.HTML ? attributeOf(at, 'contenteditable')?.toLowerCase() : undefined;
    if (value === '' || value === 'true' || value === 'plaintext-only') return true;
    if (value === 'false') return false;
  }
  return false;
}

/** Whether `:placeholder-shown` matches. */
export function showsPlaceholder(element: Element): boolean {
  if ((attributeOf(element, 'placeholder') ?? '') === '') return false;
  if (isA(element, 'textarea')) return textInside(element) === '';
  const type = inputType(element);
  return type !== null && withPlaceholder.includes(type) && valueOf(element) === '';
}

/** Whether `:default` matches. */
export function isDefault(element: Element): boolean {
  if (isA(element, 'option')) return has(element, 'selected');
  const type = inputType(element);
  if (type === 'checkbox' || type === 'radio') return has(element, 'checked');
  const form = formOf(element);
  return (
    form !== null &&
    submits(element) &&
    inTree(element).find((each) => submits(each) && formOf(each) === form) === element
  );
}

function submits(element: Element): boolean {
  if (isA(element, 'button')) return !['reset', 'button'].includes(attributeOf(element, 'type')?.toLowerCase() ?? '');
  return ['submit', 'image'].includes(inputType(element) ?? '');
}

const dateForms: Record<string, RegExp> = {
  date: /^\d{4,}-(0[1-9]|1[0-2])-(0[1-9]|[12]\d|3[01])$/,
  month: /^\d{4,}-(0[1-9]|1[0-2])$/,
  week: /^\d{4,}-W(0[1-9]|[1-4]\d|5[0-3])$/,
  time: /^([01]\d|2[0-3]):[0-5]\d(:[0-5]\d(\.\d{1,3})?)?$/,
  'datetime-local': /^\d{4,}-(0[1-9]|1[0-2])-(0[1-9]|[12]\d|3[01])[T ]([01]\d|2[0-3]):[0-5]\d(:[0-5]\d(\.\d{1,3})?)?$/,
};
const numberForm = /^-?(\d+|\d*\.\d+)(e[+-]?\d+)?$/i;

/** The value of an input after its sanitisation (HTML Standard, 4.10.5.1): what it does not take is empty. */
function valueOf(element: Element): string {
  const value = attributeOf(element, 'value') ?? '';
  const type = inputType(element) ?? '';
  if (type === 'number') return numberForm.test(value) ? value : '';
  if (type === 'email')
    return has(element, 'multiple')
      ? value
          .split(',')
          .map((each) => each.trim())
          .join(',')
      : value.trim();
  if (type === 'url') return value.replace(/[\n\r]/g, '').trim();
  const form = dateForms[type];
  if (form) return form.test(value) && dayExists(value) ? value : '';
  return ['text', 'search', 'tel', 'password'].includes(type) ? value.replace(/[\n\r]/g, '') : value;
}

function dayExists(value: string): boolean {
  const [, year, month, day] = /^(\d{4,})-(\d\d)-(\d\d)/.exec(value) ?? [];
  if (year === undefined) return true;
  const date = new Date(Date.UTC(Number(year), Number(month) - 1, Number(day)));
  return date.getUTCDate() === Number(day) && Number(year) > 0;
}

/** A value as a number that can be compared; null where it is none of its type. */
function numberOf(type: string, text: string | undefined): number | null {
  if (text === undefined) return null;
  if (type === 'number' || type === 'range') return numberForm.test(text) ? Number(text) : null;
  if (!dateForms[type]?.test(text) || !dayExists(text)) return null;
  if (type === 'week') {
    const [year = 0, week = 0] = text.split('-W').map(Number);
    return year * 100 + week;
  }
  if (type === 'month') {
    const [year = 0, month = 0] = text.split('-').map(Number);
    return year * 12 + month;
  }
  return Date.parse(type === 'time' ? `1970-01-01T${text}Z` : `${text.replace(' ', 'T')}${type === 'date' ? '' : 'Z'}`);
}

const defaultRange: Record<string, string> = { min: '0', max: '100' };

/** The limits of an input, and whether its value is beyond them; null for an input without limits. */
function rangeOf(element: Element): { isOut: boolean } | null {
  const type = inputType(element);
  if (type === null || !ranged.includes(type)) return null;
  const limit = (name: string) =>
    numberOf(type, attributeOf(element, name)) ?? (type === 'range' ? numberOf(type, defaultRange[name]) : null);
  const [min, max] = [limit('min'), limit('max')];
  // The value of a slider is put between its limits; what is no value is in range in Chromium, without limits too.
  const value = type === 'range' ? null : numberOf(type, valueOf(element));
  if (value === null) return { isOut: false };
  if (min === null && max === null) return null;
  if (type === 'time' && min !== null && max !== null && min > max) return { isOut: value < min && value > max };
  return { isOut: (min !== null && value < min) || (max !== null && value > max) };
}

export const isInRange = (element: Element): boolean => rangeTells(element)?.isOut === false;
export const isOutOfRange = (element: Element): boolean => rangeTells(element)?.isOut === true;

const rangeTells = (element: Element) => (isBarred(element) ? null : rangeOf(element));

/** Barred from constraint validation (HTML Standard, 4.10.21.1). */
function isBarred(element: Element): boolean {
  if (isDisabled(element) || nearest(element, (each) => isA(each, 'datalist'))) return true;
  if (isA(element, 'textarea')) return has(element, 'readonly');
  if (isA(element, 'button')) return !submits(element);
  const type = inputType(element);
  if (type === null) return !isA(element, 'select');
  // Chromium has it so for types too that the attribute does not apply to.
  return ['hidden', 'reset', 'button', 'image'].includes(type) || has(element, 'readonly');
}

function isMissing(element: Element): boolean {
  if (isA(element, 'textarea')) return isRequired(element) && textInside(element) === '';
  if (isA(element, 'select')) return isRequired(element) && hasNoChoice(element);
  const type = inputType(element);
  if (type === 'radio') {
    const group = groupOf(element);
    const isNamed = (attributeOf(element, 'name') ?? '') !== '';
    return isNamed && group.some(isRequired) && !group.some((each) => has(each, 'checked'));
  }
  if (!isRequired(element)) return false;
  return type === 'checkbox' ? !has(element, 'checked') : type === 'file' || valueOf(element) === '';
}

/** Whether none but the placeholder option of a required drop-down is selected (HTML Standard, 4.10.7). */
function hasNoChoice(select: Element): boolean {
  const selected = descendants(select).filter((each) => isA(each, 'option') && isSelected(each));
  const first = descendants(select).find((each) => isA(each, 'option'));
  const isPlaceholder = (option: Element) =>
    option === first &&
    option.parentNode === select &&
    !has(select, 'multiple') &&
    displaySize(select) === 1 &&
    (attributeOf(option, 'value') ?? textInside(option).trim()) === '';
  return selected.every(isPlaceholder);
}

/** An address of an `<input type=email>` (HTML Standard, 4.10.5.1.5). */
const email = /^[\w.!#$%&'*+/=?^`{|}~-]+@[a-z\d](?:[a-z\d-]{0,61}[a-z\d])?(?:\.[a-z\d](?:[a-z\d-]{0,61}[a-z\d])?)*$/i;

function isMistyped(element: Element, value: string): boolean {
  const type = inputType(element);
  if (value === '') return false;
  if (type === 'url') return !URL.canParse(value);
  if (type !== 'email') return false;
  return has(element, 'multiple') ? value.split(',').some((each) => !email.test(each)) : !email.test(value);
}

const withPattern = 'text search url tel email password'.split(' ');

function mismatches(element: Element, value: string): boolean {
  const pattern = attributeOf(element, 'pattern');
  if (pattern === undefined || value === '' || !withPattern.includes(inputType(element) ?? '')) return false;
  let test: RegExp;
  try {
    test = new RegExp(`^(?:${pattern})$`, 'v');
  } catch {
    return false;
  }
  const values = inputType(element) === 'email' && has(element, 'multiple') ? value.split(',') : [value];
  return values.some((each) => !test.test(each));
}

const steps: Record<string, { scale: number; base: number; byDefault: number }> = {
  number: { scale: 1, base: 0, byDefault: 1 },
  date: { scale: 86_400_000, base: 0, byDefault: 1 },
  month: { scale: 1, base: 1970 * 12 + 1, byDefault: 1 },
  time: { scale: 1000, base: 0, byDefault: 60 },
  'datetime-local': { scale: 1000, base: 0, byDefault: 60 },
};

/** Suffering from a step mismatch; weeks are left out. */
function isOffStep(element: Element): boolean {
  const type = inputType(element) ?? '';
  const own = Object.hasOwn(steps, type) ? steps[type] : undefined;
  const value = own && numberOf(type, valueOf(element));
  const written = attributeOf(element, 'step');
  if (!own || value === null || value === undefined || written?.toLowerCase() === 'any') return false;
  const given = numberForm.test(written ?? '') ? Number(written) : 0;
  const step = (given > 0 ? given : own.byDefault) * own.scale;
  const base = numberOf(type, attributeOf(element, 'min')) ?? numberOf(type, attributeOf(element, 'value')) ?? own.base;
  const off = Math.abs((value - base) / step - Math.round((value - base) / step));
  return off > 1e-9 * Math.max(1, Math.abs((value - base) / step));
}

function isInvalidControl(element: Element): boolean {
  if (!isA(element, 'input', 'select', 'textarea', 'button') || isBarred(element)) return false;
  if (isMissing(element)) return true;
  if (!isA(element, 'input')) return false;
  const value = valueOf(element);
  return isMistyped(element, value) || mismatches(element, value) || isOutOfRange(element) || isOffStep(element);
}

/** Whether `:invalid` matches on the page at rest: nobody typed anything yet, so that no length counts. */
export function isInvalid(element: Element): boolean {
  if (isA(element, 'form')) return inTree(element).some((each) => isInvalidControl(each) && formOf(each) === element);
  if (isA(element, 'fieldset')) return descendants(element).some(isInvalidControl);
  return isInvalidControl(element);
}

/** Whether `:valid` matches. */
export const isValid = (element: Element): boolean =>
  isA(element, 'form', 'fieldset')
    ? !isInvalid(element)
    : isA(element, 'input', 'select', 'textarea', 'button', 'output', 'object') &&
      !isBarred(element) &&
      !isInvalid(element);
