import { imageSize } from 'image-size';
import { attribute, type Element } from '../page/document.js';
import { compileMatcher } from '../page/elements.js';
import { baseAddress } from '../page/location.js';
import type { SwapAction } from './action.js';
import { finding, type Finding } from '../finding.js';
import type { OpenedPage } from '../check/opened-page.js';

/** A selector for the images inside of what an action matches, if there are any on this page. */
function imageHint({ selectors }: SwapAction, { document }: OpenedPage): string | null {
  const inside = selectors.map(({ text }) => `${text} img`).join(', ');
  return compileMatcher(inside)(document).length > 0 ? `Select the img itself: ${inside}.` : null;
}

/** What is wrong with a swap of pictures on a page. */
export function swapFindings(rule: string, action: SwapAction, elements: Element[], look: OpenedPage): Finding[] {
  if (!action.image) return [];
  const page = look.page.path;
  const wrong = elements.find(({ tagName }) => tagName !== 'img' && tagName !== 'input');
  if (wrong)
    return [
      finding(
        'invalid-swap',
        `${action.selector} matches a <${wrong.tagName}> on ${page}, which cannot show an image`,
        {
          ...{ rule, page, at: action.at },
          hint: imageHint(action, look),
        },
      ),
    ];
  const ours = sizeOf(action.image.content);
  for (const element of ours ? elements : []) {
    const fault = ours && misfit(ours, element, look);
    if (!fault) continue;
    const name = action.image.path?.replace(/^.*\//, '') ?? action.image.url;
    const { width, height } = fault.wanted;
    return [
      finding(
        'swap-size',
        `${name} is ${ours.width}×${ours.height}; on ${page} it replaces ${width}×${height}: ${fault.effect}`,
        {
          ...{ rule, page, at: action.image.at },
          hint: `Save it as ${width}×${height}, or in the same proportions at a size that the page sets.`,
        },
      ),
    ];
  }
  return [];
}

interface Size {
  width: number;
  height: number;
}

/** The size of a picture; null if it has none or cannot be read. */
function sizeOf(content: Uint8Array | null): Size | null {
  if (!content) return null;
  try {
    const { width, height } = imageSize(content);
    return width > 0 && height > 0 ? { width, height } : null;
  } catch {
    return null;
  }
}

/** Aspect ratios that differ by less than this look the same. */
const sameShape = 0.02;

/** Why a picture does not fit where another was; null if it fits, or if the other's size is unknown. */
function misfit(ours: Size, element: Element, look: OpenedPage): { wanted: Size; effect: string } | null {
  const [width, height] = (['width', 'height'] as const).map((name) =>
    Number(/^([\d.]+)px$/.exec(look.built.value(element, '', name))?.[1] ?? NaN),
  ) as [number, number];
  const differs = (a: Size, b: Size) => Math.abs((a.width / a.height) * (b.height / b.width) - 1) > sameShape;
  if (width > 0 && height > 0) {
    const wanted = { width, height };
    const fits = !/^(fill|)$/.test(look.built.value(element, '', 'object-fit'));
    return !fits && differs(ours, wanted) ? { wanted, effect: 'it is squeezed' } : null;
  }
  const theirs = sizeOfOld(element, look);
  if (!theirs) return null;
  const oneSet = width > 0 || height > 0;
  const same = oneSet ? !differs(ours, theirs) : ours.width === theirs.width && ours.height === theirs.height;
  return same ? null : { wanted: theirs, effect: 'the page jumps when it is swapped' };
}

/** The size of the picture that a page shows there: its own, or what its attributes say. */
function sizeOfOld(element: Element, { view, page, document }: OpenedPage): Size | null {
  const source = attribute(element, 'src') ?? '';
  const base = baseAddress(page, document.root);
  const own = URL.canParse(source, base) ? sizeOf(view.file(new URL(source, base).href)) : null;
  if (own) return own;
  const [width, height] = [Number(attribute(element, 'width')), Number(attribute(element, 'height'))];
  return width > 0 && height > 0 ? { width, height } : null;
}
