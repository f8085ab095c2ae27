import { longhandsOf } from '../css/declaration.js';
import { selectorParts } from '../css/selector.js';
import type { Element } from '../page/document.js';
import { compileMatcher } from '../page/elements.js';
import { elementPath } from '../page/element-path.js';
import type { Page, Site } from '../page/page.js';
import type { Expectation, Want } from '../rule/keep-visible-and-expect.js';
import { conditionPages } from '../target/pages.js';
import { finding, type Finding } from '../finding.js';
import { hiddenBy } from '../action/hidden-by.js';
import type { OpenedPage } from './opened-page.js';
import { placeOfWinner, placesOn } from '../action/pair.js';

/** The pages of a site that an expectation is about. */
export const expectedPages = ({ pages, except }: Expectation, site: Site): Page[] =>
  [...(pages ? conditionPages(pages, site) : site.pages)].filter(
    (page) => !(except && conditionPages(except, site).has(page)),
  );

/** Where a page does not look as it is expected to. */
export function brokenExpectations(expectation: Expectation, look: OpenedPage): Finding[] {
  return expectation.wants.flatMap((want) => {
    const told = brokenWant(want, look);
    return told
      ? [
          finding('expectation', `${expectation.name} expects ${told.message} on ${look.page.path}`, {
            page: look.page.path,
            at: want.at,
            hint: told.hint,
          }),
        ]
      : [];
  });
}

function brokenWant(want: Want, look: OpenedPage): { message: string; hint: string | null } | null {
  const [selector] = want.selectors;
  if (!selector) return null;
  const { element: text, pseudo } = selectorParts(selector.text);
  const elements = compileMatcher(text)(look.document);
  if (elements.length === 0 && want.kind === 'hidden') return null;
  if (elements.length === 0)
    return { message: `${want.selector} to be there, and nothing matches it`, hint: expectedHint(want) };
  if (want.kind === 'looks') return brokenLook(want, elements, pseudo, look);
  const wrong = elements.find((element) => look.built.isDisplayed(element) !== (want.kind === 'shown'));
  if (!wrong) return null;
  const by = want.kind === 'shown' ? hiddenBy(wrong, look) : null;
  return {
    message: `${want.selector} to be ${want.kind}, and it is ${want.kind === 'shown' ? 'hidden' : 'shown'}`,
    hint: by ? `${by.by.file}:${by.by.line} ${by.by.selector} hides it.` : expectedHint(want),
  };
}

const expectedHint = ({ at }: Want) => `Expected in ${at.file}:${at.line}.`;

function brokenLook(
  want: Extract<Want, { kind: 'looks' }>,
  elements: Element[],
  pseudo: string,
  look: OpenedPage,
): { message: string; hint: string | null } | null {
  const { property, value } = want;
  for (const element of elements) {
    for (const longhand of property.startsWith('--') ? [property] : longhandsOf(property)) {
      const wanted = look.built.valueOf(element, pseudo, longhand, property, value, null);
      const has = look.built.value(element, pseudo, longhand);
      if (wanted === has) continue;
      const winner = look.cascade.winner(element, pseudo, longhand);
      const place = winner && placeOfWinner(winner, element, placesOn(look));
      const which = elements.length > 1 ? ` (${elementPath(element)})` : '';
      return {
        message: `${want.selector}${which} to have ${longhand}: ${wanted}, and it has ${has}`,
        hint:
          place && place.line > 0 ? `It comes from ${place.file}:${place.line} ${place.selector}.` : expectedHint(want),
      };
    }
  }
  return null;
}
