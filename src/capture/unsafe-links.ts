import { attribute, type Element } from '../core/page/document.js';

/** What a link would do, by the words in its address or its attributes. Words are compared without separators. */
const words: Record<string, string[]> = {
  'sign out': ['logout', 'logoff', 'signout', 'signoff', 'endsession'],
  'delete something': ['delete', 'remove', 'destroy', 'erase', 'trash', 'cancel', 'deactivate', 'unsubscribe'],
  'buy something': ['buy', 'buynow', 'purchase', 'paynow', 'placeorder', 'addtocart', 'addtobasket', 'addtobag'],
};

/** Query parameters that name an action (`?action=logout`). */
const actionKeys = /^(action|act|do|task|op|cmd|command|mode|method)$/i;
/** Query parameters that hold a one-time token. */
const tokenKeys = /(nonce|token|csrf|xsrf|otp|signature)$/i;

const doneBy = (text: string): string | null => {
  const squashed = text.toLowerCase().replace(/[^a-z0-9]/g, '');
  return Object.keys(words).find((deed) => words[deed]?.includes(squashed)) ?? null;
};

/**
 * Why an address should not be requested, as the end of a sentence; null if it can be. `hasSession`: requests carry
 * cookies or headers of a visitor, so that words in the path count too (docs/captured.md).
 */
export function unsafeAddress(address: string, hasSession: boolean): string | null {
  const { pathname, searchParams } = new URL(address);
  for (const [key, value] of searchParams) {
    if (tokenKeys.test(key)) return `it carries a one-time token (${key})`;
    const deed = doneBy(key) ?? (actionKeys.test(key) ? doneBy(value) : null);
    if (deed) return `it looks as if it would ${deed} (${key}${value === '' ? '' : `=${value}`})`;
  }
  if (!hasSession) return null;
  for (const segment of pathname.split('/')) {
    const name = segment.replace(/\.\w+$/, '');
    const deed = doneBy(name) ?? doneBy(/^[a-z]+(?=[-_])/i.exec(name)?.[0] ?? '');
    if (deed) return `it looks as if it would ${deed} (${segment})`;
  }
  return null;
}

/** Why a link should not be followed, by its `rel` words and by attributes that name a request method; null if it can be. */
export function unsafeLink(element: Element): string | null {
  for (const word of (attribute(element, 'rel') ?? '').split(/\s+/)) {
    const deed = doneBy(word);
    if (deed) return `its rel says that it would ${deed} (${word})`;
  }
  const method = element.attrs.find(({ name }) => /(^|-)method$/i.test(name));
  return method && !/^(get|head|)$/i.test(method.value.trim()) ? `it is sent as ${method.value.toUpperCase()}` : null;
}
