import { resolve } from 'node:path';
import type { Site } from '../core/page/page.js';
import { ProblemError } from '../core/place.js';
import { readFolder } from '../capture/folder.js';
import { readHar } from '../capture/har.js';
import { haystackFolder, readHaystackSite } from '../capture/haystack.js';
import type { SiteContent } from '../capture/site-content.js';
import { Cache } from '../project/cache.js';
import { chosenSite, type Settings, type SiteSource } from '../project/read-configuration.js';
import { findProject, loadSettings, requireFolder } from '../project/settings.js';
import type { CommonArguments } from './command.js';

/** The site alone, for commands that need no rules. */
export function openPages(args: CommonArguments): { settings: Settings; source: SiteSource; content: SiteContent } {
  const directory = findProject(args.project, process.cwd());
  const settings = loadSettings(directory);
  const source = chosenSite(settings, args.site);
  return { settings, source, content: openSite(directory, settings, source) };
}

/** Reads a site's pages, however it is captured. Throws ProblemError. */
export function openSite(directory: string, settings: Settings, source: SiteSource): SiteContent {
  const content = capturedSite(directory, settings, source, null);
  if (content) return content;
  throw new ProblemError(
    [{ message: `The site "${source.name}" was not gathered yet`, hint: `Run local-needle gather ${source.name}.` }],
    'access',
  );
}

/** A site as a visitor sees it; null where an address was not gathered so. Folders and recordings know one visitor. */
export function capturedSite(
  directory: string,
  settings: Settings,
  { name, from, pathOptions }: SiteSource,
  visitor: string | null,
): SiteContent | null {
  if (from.kind === 'address')
    return readHaystackSite(name, haystackFolder(directory, name, visitor), pathOptions, settings.forms);
  if (visitor !== null) return null;
  if (from.kind === 'har')
    return readHar(name, resolve(directory, from.where), from.where, pathOptions, settings.forms);
  const folder = resolve(directory, from.where);
  requireFolder(folder, from.where);
  return readFolder(name, folder, from.where, pathOptions, settings.forms, new Cache(directory, `pages.${name}`));
}

/** The folder of a site that is one; null for all others. */
export const siteFolder = (directory: string, { from }: SiteSource) =>
  from.kind === 'folder' ? resolve(directory, from.where) : null;

/** The other sites of the project that are captured; one that cannot be read is not compared with. */
export function otherSites(directory: string, settings: Settings, source: SiteSource): Site[] {
  return settings.sites.flatMap((other) => {
    if (other.name === source.name) return [];
    try {
      return capturedSite(directory, settings, other, null)?.site ?? [];
    } catch (error) {
      if (error instanceof ProblemError) return [];
      throw error;
    }
  });
}
