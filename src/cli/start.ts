import { existsSync } from 'node:fs';
import { join, relative, resolve } from 'node:path';
import type { Argv } from 'yargs';
import { readFolder } from '../capture/folder.js';
import type { SiteContent } from '../capture/site-content.js';
import { soleHandles } from '../core/page/handles.js';
import { ProblemError } from '../core/place.js';
import { configurationName, requireFolder } from '../project/project.js';
import { formsText } from '../report/pages.js';
import { styleFor } from '../report/text.js';
import { count } from '../report/text.js';
import { status, type Command, type CommonArguments } from './command.js';
import { writeFiles } from './write.js';

interface StartArguments extends CommonArguments {
  folder: string;
}

export const command: Command<StartArguments> = {
  usage: '<folder>',
  positionals: (yargs: Argv) =>
    yargs.positional('folder', {
      type: 'string',
      describe: 'The folder that your site was built into',
      demandOption: true,
    }),
  examples: [['$0 start public', 'a project here for the pages in public']],
  async run(args, { out }) {
    const directory = resolve(args.project ?? '.');
    const name = args.site ?? 'live';
    const folder = resolve(args.folder);
    if (existsSync(join(directory, configurationName))) {
      throw new ProblemError([
        {
          message: `${join(directory, configurationName)} is there already; it was left as it is`,
          hint: 'Edit it, or take it away to start anew.',
        },
      ]);
    }
    if (!/^[A-Za-z_][\w-]*$/.test(name))
      throw new ProblemError([
        { message: `"${name}" is no name for a site`, hint: 'A name is letters, digits and hyphens, such as live.' },
      ]);
    requireFolder(folder, args.folder);
    const content = readFolder(name, folder, args.folder, {}, null);
    const where = relative(directory, folder).split('\\').join('/') || '.';
    const files = new Map([[configurationName, configurationText(name, where, content)]]);
    const example = 'rules/example.css';
    const hasRules = existsSync(join(directory, 'rules'));
    if (!hasRules) files.set(example, exampleText(content));
    writeFiles(directory, files);
    const { colour } = styleFor(process.stdout, process.env);
    const bare = content.site.pages.filter((page) => soleHandles(page, content.site).length === 0).length;
    out(`${count(content.site.pages.length, 'page')} in ${args.folder}. ${formsText(content.site, content.found)}`);
    if (bare > 0) out(`${count(bare, 'page')} can be told only by path.`);
    out(`Wrote ${[...files.keys()].join(' and ')}.${hasRules ? ' Your rules were left as they are.' : ''}`);
    out(
      `Next: ${colour.bold('local-needle pages')} lists the pages, ${colour.bold('local-needle check')} judges the rules.`,
    );
    return status.fine;
  },
};

function configurationText(name: string, folder: string, { site, found }: SiteContent): string {
  const forms = site.forms.map(
    (form) =>
      `  - { in: ${form.in},${form.attribute ? ` attribute: ${form.attribute},` : ''} like: ${JSON.stringify(form.like)} }`,
  );
  const seen = found.map(({ form, pages }) => `${form.like} on ${count(pages, 'page')}`).join(', ');
  return `# Local Needle: rules for single pages. See the README for every key.
version: 1
sites:
  ${name}: { folder: ${JSON.stringify(folder)} }
${forms.length > 0 ? `# Found on the pages: ${seen}. Leave it out to have it found anew each time.\npage-id:\n${forms.join('\n')}\n` : '# No page IDs were found on body. Example: page-id: { in: body-class, like: "page-{id}" }\n'}rules: rules/**/*.css
viewports: { desktop: 1280x800, phone: 390x844 }
`;
}

function exampleText({ site }: SiteContent): string {
  const page = site.pages.find((each) => each.path !== '/' && soleHandles(each, site).length > 0) ?? site.pages[0];
  const path = page?.path.replace(/["\\]/g, '\\$&') ?? '/';
  return `/* A rule says which pages, which elements, what to do there, and why. */

@needle example {
  note: "What this is for; the note ships as a comment.";
  pages: path("${path}");
  paused: yes; /* take this line out to let it ship */
  @hide footer;
  h1 { color: teal; }
}
`;
}
