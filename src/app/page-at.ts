import { extensionHint, nearPath } from '../core/target/near-path.js';
import type { Page, Site } from '../core/page/page.js';
import { normalisePath, type PathOptions } from '../core/page/path.js';
import { ProblemError } from '../core/place.js';

/** The page at a path in any spelling. Throws ProblemError with the nearest path. */
export function pageAt(path: string, site: Site, options: PathOptions): Page {
  const page = site.byPath.get(path) ?? site.byPath.get(normalisePath(path, options));
  if (page) return page;
  const near = nearPath(path, site);
  throw new ProblemError([
    {
      message: `${site.name} has no page ${path}`,
      hint: near ? `Did you mean ${near.path}?${extensionHint(path, near)}` : 'local-needle pages lists them.',
    },
  ]);
}
