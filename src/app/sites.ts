import { resolve } from 'node:path';
import type { Site } from '../core/page/page.js';
import { ProblemError } from '../core/place.js';
import { readFolder, type KnownFile } from '../capture/folder.js';
import { readHar } from '../capture/har.js';
import { captureFolder, capturesFolder, readCapturedSite } from '../capture/capture-store.js';
import type { KeptPages, SiteContent } from '../capture/site-content.js';
import { Cache } from '../project/cache.js';
import { TreeFiles } from '../project/tree-files.js';
import { chosenSite, type Settings, type SiteSource } from '../project/read-configuration.js';
import { findProject, loadSettings, requireFolder } from '../project/settings.js';
import type { SiteCall } from './call.js';

/** A site without rules, for commands that need none. */
export function openPages(args: SiteCall): { settings: Settings; source: SiteSource; content: SiteContent } {
  const directory = findProject(args.project, process.cwd());
  const settings = loadSettings(directory);
  const source = chosenSite(settings, args.site);
  return { settings, source, content: openSite(directory, settings, source) };
}

/** Reads a site's pages from a folder, a recording or a capture. Throws ProblemError. */
export function openSite(directory: string, settings: Settings, source: SiteSource): SiteContent {
  const content = capturedSite(directory, settings, source, null);
  if (content) return content;
  throw new ProblemError(
    [
      {
        message: `The site "${source.name}" has not been captured yet`,
        hint: `Run local-needle capture ${source.name}.`,
      },
    ],
    'access',
  );
}

/** A site as a visitor sees it; null if an address was not captured so. Folders and recordings know one visitor. */
export function capturedSite(
  directory: string,
  settings: Settings,
  source: SiteSource,
  visitor: string | null,
): SiteContent | null {
  const named = (kind: string) => [kind, source.name, ...(visitor === null ? [] : [visitor])].join('.');
  const kept: KeptPages = {
    words: new Cache(directory, named('words')),
    trees: new TreeFiles(directory, named('trees')),
    skeleton: new Cache(directory, named('skeletons')),
    templates: new Cache(directory, named('templates')),
  };
  return readers[source.from.kind]({ directory, settings, source, visitor, kept });
}

/** What is read, and for whom. */
interface Reading {
  directory: string;
  settings: Settings;
  source: SiteSource;
  visitor: string | null;
  kept: KeptPages;
}

/** Readers of sites, by where the pages come from. */
const readers: Record<SiteSource['from']['kind'], (reading: Reading) => SiteContent | null> = {
  address: ({ directory, settings, source: { name, pathOptions }, visitor, kept }) =>
    readCapturedSite(name, captureFolder(directory, name, visitor), pathOptions, settings.forms, kept),
  har: ({ directory, settings, source: { name, from, pathOptions }, visitor }) =>
    visitor === null ? readHar(name, resolve(directory, from.where), from.where, pathOptions, settings.forms) : null,
  folder: ({ directory, settings, source: { name, from, pathOptions }, visitor, kept }) => {
    if (visitor !== null) return null;
    const folder = resolve(directory, from.where);
    requireFolder(folder, from.where);
    const openings = new Cache<KnownFile>(directory, `pages.${name}`);
    return readFolder(name, folder, from.where, pathOptions, settings.forms, openings, kept);
  },
};

/** The folder of a site that is one; null for all others. */
export const siteFolder = (directory: string, { from }: SiteSource) =>
  from.kind === 'folder' ? resolve(directory, from.where) : null;

/** Where the pages of all sites lie: folders, recordings, and the folder of the captures. */
export const pagePlaces = (directory: string, { sites }: Settings): string[] => [
  capturesFolder(directory),
  ...sites.flatMap(({ from }) => (from.kind === 'address' ? [] : [resolve(directory, from.where)])),
];

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
