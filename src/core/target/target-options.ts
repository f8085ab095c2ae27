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
  const path: TargetOption = {
    condition: pathCondition(page.path),
    css: null,
    kind: 'path',
    sole: true,
    sharedWith: [],
    why: `works on every copy of the site; ${told ? 'ships as the unique handle of the page' : 'needs local-needle.js, since the page has no unique handle'}`,
  };
  return [path, ...handles.filter(({ sole }) => sole), ...handles.filter(({ sole }) => !sole)];
}
