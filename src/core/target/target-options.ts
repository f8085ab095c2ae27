import { parseCondition } from './condition.js';
import { expressionFor } from './expression.js';
import { conditionPages } from './pages.js';
import { pathCondition } from './path-condition.js';
import { handlesOf, type Handle } from '../page/handles.js';
import { pagesWith } from './site-index.js';
import type { Page, Site } from '../page/page.js';

/** One way to target a page, with the pages that share it and its pros and cons. */
export interface TargetOption {
  /** As a rule takes it: `page-id(46)`. */
  condition: string;
  css: string | null;
  kind: Handle['kind'] | 'path';
  sole: boolean;
  sharedWith: string[];
  why: string;
}

/** Every way to target a page, best first. */
export function targetOptions(page: Page, site: Site): TargetOption[] {
  const handles = handlesOf(page).map((handle): TargetOption => {
    const others = [...pagesWith(site, handle.css)].filter((other) => other !== page);
    const sole = others.length === 0;
    const whys = {
      'page-id': 'ships as plain CSS; another copy of the site may have another ID',
      'body-id': 'ships as plain CSS; works wherever the template writes this ID',
      'body-class': sole ? 'ships as plain CSS; works as long as no other page gets the class' : '',
    };
    return {
      condition: handle.condition,
      css: handle.css,
      kind: handle.kind,
      sole,
      sharedWith: others.map(({ path }) => path),
      why: sole ? whys[handle.kind] : `also on ${others.length} ${others.length === 1 ? 'page' : 'pages'}`,
    };
  });
  const told = handles.some(({ sole }) => sole);
  const condition = pathCondition(page.path);
  const others = pagesAt(condition, site).filter((other) => other !== page);
  // `page_id=13`: another copy of the site may number its pages otherwise.
  const isNumbered = /\bquery\("[^"]*=(\d+|[0-9a-f]{8,})"\)/i.test(condition);
  const path: TargetOption = {
    condition,
    css: null,
    kind: 'path',
    sole: others.length === 0,
    sharedWith: others.map((other) => other.path),
    why: `${isNumbered ? 'another copy of the site may have another number' : 'works on every copy of the site'}; ${told ? 'ships as the unique handle of the page' : 'needs local-needle.js, since the page has no unique handle'}`,
  };
  // What every page has picks none out.
  const shared = handles.filter(({ sole, sharedWith }) => !sole && sharedWith.length + 1 < site.pages.length);
  return [path, ...withException(page, site, told), ...handles.filter(({ sole }) => sole), ...shared];
}

/** A handle of a page and an exception that together pick it alone, if it has no unique handle. */
function withException(page: Page, site: Site, hasUnique: boolean): TargetOption[] {
  const found = hasUnique ? null : expressionFor([page], site, 'body');
  if (!found?.except) return [];
  return [
    {
      ...{ condition: `${found.pages}; except: ${found.except}`, css: null, kind: 'body-class', sole: true },
      ...{ sharedWith: [], why: 'ships as plain CSS; picks this page alone as long as no other page gets these' },
    },
  ];
}

const pagesAt = (condition: string, site: Site) => [...conditionPages(parseCondition(condition).condition, site)];
