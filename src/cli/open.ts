import { resolve } from 'node:path';
import { ProblemError } from '../core/place.js';
import { readFolder } from '../capture/folder.js';
import type { SiteContent } from '../capture/site-content.js';
import { findProject, loadProject, loadSettings, requireFolder, type Project } from '../project/project.js';
import { chosenSite, type Settings, type SiteSource } from '../project/read-configuration.js';
import type { CommonArguments } from './command.js';

/** The project and the site that a call is about. */
export function openProject(args: CommonArguments): { project: Project; source: SiteSource; content: SiteContent } {
  const project = loadProject(findProject(args.project, process.cwd()));
  const source = chosenSite(project.settings, args.site);
  return { project, source, content: openSite(project.directory, project.settings, source) };
}

/** The site alone, for commands that need no rules. */
export function openPages(args: CommonArguments): { source: SiteSource; content: SiteContent } {
  const directory = findProject(args.project, process.cwd());
  const settings = loadSettings(directory);
  const source = chosenSite(settings, args.site);
  return { source, content: openSite(directory, settings, source) };
}

/** Reads a site's pages, however it is captured. Throws ProblemError. */
export function openSite(directory: string, settings: Settings, { name, from, pathOptions }: SiteSource): SiteContent {
  if (from.kind === 'folder') {
    const folder = resolve(directory, from.where);
    requireFolder(folder, from.where);
    return readFolder(name, folder, from.where, pathOptions, settings.forms);
  }
  throw new ProblemError(
    [{ message: `The site "${name}" was not gathered yet`, hint: `Run local-needle gather ${name}.` }],
    'access',
  );
}
