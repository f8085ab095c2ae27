import { imageSize } from 'image-size';
import { html } from 'parse5';
import { classesOf } from '../find/describe.js';
import { attribute, lineageOf, type Element } from '../page/document.js';
import { compileMatcher } from '../page/elements.js';
import { baseAddress } from '../page/location.js';
import type { SwapAction } from './action.js';
import { finding, type Finding } from '../finding.js';
import type { OpenedPage } from '../check/opened-page.js';

/** Elements that show something of their own, or nothing. */
const showsNoOther =
  /^(audio|br|button|canvas|embed|frame|hr|html|body|iframe|input|meter|object|option|picture|progress|select|source|textarea|track|video)$/;

interface Fault {
  message: string;
  hint: string | null;
}

/** Why an element cannot show another picture, and what to swap instead; null where it can. */
function faultOf(element: Element, { selectors, selector, alt, image }: SwapAction, look: OpenedPage): Fault | null {
  const { tagName, namespaceURI } = element;
  if (tagName === 'img' || (tagName === 'input' && attribute(element, 'type')?.toLowerCase() === 'image')) return null;
  const message = `${selector} matches a <${tagName}> on ${look.page.path}, which cannot show an image`;
  const inside = selectors.map(({ text }) => `${text} img`).join(', ');
  if (compileMatcher(inside)(look.document).length > 0) return { message, hint: `Select the img itself: ${inside}.` };
  if (namespaceURI !== html.NS.HTML) {
    const around = lineageOf(element).find((each) => each.namespaceURI === html.NS.HTML);
    const name = around && [around.tagName, ...classesOf(around).slice(0, 1)].join('.');
    return { message, hint: name ? `Swap all of what is around it, with alt: ${name} there.` : null };
  }
  if (showsNoOther.test(tagName)) return { message, hint: null };
  for (const property of ['background-image', 'mask-image'])
    if (/url\(/.test(look.bare.value(element, '', property)))
      return {
        message: `${selector} on ${look.page.path} shows its picture as a ${property}, which a swap leaves`,
        hint: `Write ${selector} { ${property}: url("${image?.url ?? ''}"); } instead.`,
      };
  if (alt !== null) return null;
  return {
    message: `${selector} on ${look.page.path} would lose its words to a picture without any`,
    hint: 'Add alt: "What the picture says";',
  };
}

/** What is wrong with a swap of pictures on a page. */
export function swapFindings(rule: string, action: SwapAction, elements: Element[], look: OpenedPage): Finding[] {
  if (!action.image) return [];
  const page = look.page.path;
  for (const element of elements) {
    const fault = faultOf(element, action, look);
    if (fault) return [finding('invalid-swap', fault.message, { rule, page, at: action.at, hint: fault.hint })];
  }
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
  const base = baseAddress(page, document);
  const own = URL.canParse(source, base) ? sizeOf(view.file(new URL(source, base).href)) : null;
  if (own) return own;
  const [width, height] = [Number(attribute(element, 'width')), Number(attribute(element, 'height'))];
  return width > 0 && height > 0 ? { width, height } : null;
}
