import { loadProject } from '../project/project.js';
import { chosenSite } from '../project/read-configuration.js';
import { findProject } from '../project/settings.js';
import { capturedSite } from '../app/sites.js';

/** Words that may stand where the cursor is: commands, rule names after `rules pause`, sites, paths of pages. */
export function complete(words: string[], commands: string[]): string[] {
  const word = words.at(-1) ?? '';
  const [command, ...rest] = words;
  const starting = (list: string[]) => list.filter((each) => each.startsWith(word));
  if (rest.length === 0) return starting(commands);
  try {
    const project = loadProject(findProject(undefined, process.cwd()));
    if (command === 'rules') {
      const named = rest.length > 1 && ['pause', 'resume'].includes(rest[0] ?? '');
      return starting(named ? project.rules.map(({ name }) => name) : ['list', 'pause', 'resume']);
    }
    if (command === 'capture' || command === 'compare') return starting(project.settings.sites.map(({ name }) => name));
    if (!word.startsWith('/') && command !== 'pages') return [];
    const content = capturedSite(project.directory, project.settings, chosenSite(project.settings, undefined), null);
    return starting(content?.site.pages.map(({ path }) => path) ?? []);
  } catch {
    // Outside of a project, or in a broken one, there is nothing to complete; the command itself says what is wrong.
    return [];
  }
}
