import { existsSync, readFileSync } from 'node:fs';
import { join, relative, resolve, sep } from 'node:path';
import { readFolder } from '../capture/folder.js';
import { linksWithoutExtension } from '../capture/extension.js';
import type { SiteContent } from '../capture/site-content.js';
import { compileMatcher } from '../core/page/elements.js';
import { soleHandles } from '../core/target/site-index.js';
import { ProblemError } from '../core/place.js';
import { endKilledSets, writeSet } from '../disk/file-set.js';
import { ciExample } from '../project/ci-example.js';
import { editorSettings } from '../project/editor-settings.js';
import { configurationSchema, cssCustomData } from '../project/schema.js';
import { configurationName, requireFolder } from '../project/settings.js';
import { formsText } from '../report/pages.js';
import { count, styleFor } from '../report/text.js';
import { defineCommand, type ArgumentsOf, status } from './command.js';

/** A site as the call names it: a folder, whose pages are looked at, or an address, which is captured later. */
interface NewSite {
  name: string;
  where: string;
  content: SiteContent | null;
  /** The extension that its pages are linked without. */
  dropExtension?: string;
}

const positionals = {
  source: {
    type: 'string',
    array: true,
    describe: 'The folder that your site was built into, or its address; several as NAME=SOURCE',
    demandOption: true,
  },
} as const;

const options = {
  ci: { type: 'boolean', default: false, describe: 'Also write an example for continuous integration' },
} as const;

type InitArguments = ArgumentsOf<typeof positionals, typeof options>;

export const command = defineCommand<InitArguments>({
  positionals,
  options,
  examples: [
    ['$0 init public', 'for the HTML files in the folder public'],
    ['$0 init https://www.saltmere.example', 'for a running site'],
    ['$0 init public --ci', 'with local-needle-ci.sh, to run after each push'],
    ['$0 init live=public staging=http://127.0.0.1:8080', 'for two copies of a site'],
  ],
  async run(args, { out }) {
    const directory = resolve(args.project ?? '.');
    endKilledSets(directory);
    if (existsSync(join(directory, configurationName))) {
      throw new ProblemError([
        {
          message: `${join(directory, configurationName)} already exists and was not changed`,
          hint: 'Edit it, or delete it to start again.',
        },
      ]);
    }
    const sites = args.source.map((from, index) =>
      newSite(from, index === 0 ? (args.site ?? 'live') : `site${index + 1}`),
    );
    const files = new Map([[configurationName, configurationText(directory, sites)]]);
    const hasRules = existsSync(join(directory, 'rules'));
    if (!hasRules) files.set('rules/example.css', exampleText(sites[0]?.content ?? null));
    if (args.ci) files.set(ciFile, ciExample);
    const { files: editor, toAdd } = editorFiles(directory);
    writeSet(directory, (set) => {
      for (const [name, text] of [...files, ...editor]) set.file(join(directory, name), text);
    });
    const { colour } = styleFor(process.stdout, process.env);
    for (const { where, content } of sites) {
      if (!content) continue;
      const bare = content.site.pages.filter((page) => soleHandles(page, content.site).length === 0).length;
      out(`${count(content.site.pages.length, 'page')} in ${where}. ${formsText(content.site, content.found)}`);
      if (bare > 0) out(`${count(bare, 'page')} can only be targeted by path.`);
    }
    out(`Wrote ${[...files.keys()].join(' and ')}.${hasRules ? ' Your rules were not changed.' : ''}`);
    const described = [schema, words, ...(editor.has(settings) ? [settings] : [])];
    out(`For completion and validation in editors: ${described.join(', ')}.`);
    const clients = Object.keys(editorSettings).map((name) => `editor/${name}`);
    out(`To start local-needle language-server in an editor: ${clients.join(', ')} (docs/editors.md).`);
    if (toAdd !== null) out(`${settings} was not changed. Add these entries to it:\n${toAdd}`);
    const capture = sites
      .filter(({ content }) => !content)
      .map(({ name }) => colour.bold(`local-needle capture ${name}`));
    out(
      `Next: ${capture.length > 0 ? `${capture.join(' and ')} ${capture.length > 1 ? 'capture' : 'captures'} the pages, ` : ''}${colour.bold('local-needle pages')} lists them, ${colour.bold('local-needle check')} checks the rules.`,
    );
    return status.fine;
  },
});

/**
 * Files for editors: the schema of local-needle.yaml, the at-rules of rule files, what starts the language server, and
 * settings that name the first two unless there are some already: then `toAdd` is what they lack.
 */
function editorFiles(directory: string): { files: Map<string, string>; toAdd: string | null } {
  const json = (value: unknown) => `${JSON.stringify(value, null, 2)}\n`;
  const files = new Map([
    [schema, json(configurationSchema())],
    [words, json(cssCustomData())],
    ...Object.entries(editorSettings).map(([name, text]): [string, string] => [`editor/${name}`, text]),
  ]);
  const entries = { 'yaml.schemas': { [schema]: configurationName }, 'css.customData': [words] };
  if (!existsSync(join(directory, settings))) return { files: files.set(settings, json(entries)), toAdd: null };
  const text = readFileSync(join(directory, settings), 'utf8');
  const isThere = text.includes(schema) && text.includes(words);
  return { files, toAdd: isThere ? null : JSON.stringify(entries, null, 2).slice(2, -2) };
}

const ciFile = 'local-needle-ci.sh';
const schema = 'editor/local-needle.schema.json';
const words = 'editor/rules.css-data.json';

/** Where the editor's settings of a project are. */
const settings = '.vscode/settings.json';

function newSite(from: string, defaultName: string): NewSite {
  const [, name = defaultName, where = from] = /^([A-Za-z_][\w-]*)=(.+)$/.exec(from) ?? [];
  if (!/^[A-Za-z_][\w-]*$/.test(name))
    throw new ProblemError([
      { message: `"${name}" is not a valid site name`, hint: 'A name is letters, digits and hyphens, such as live.' },
    ]);
  if (/^https?:\/\//i.test(where)) {
    const withUser = URL.canParse(where) && new URL(where).username !== '';
    if (withUser)
      throw new ProblemError([
        {
          message: 'An address must not contain a user name or password',
          hint: `Run local-needle init ${new URL(where).origin}, then write headers: { authorization: "\${NAME}" } beside the address.`,
        },
      ]);
    if (!URL.canParse(where))
      throw new ProblemError([
        { message: `"${where}" is not a valid address`, hint: 'Write it as https://www.saltmere.example.' },
      ]);
    return { name, where, content: null };
  }
  const folder = resolve(where);
  requireFolder(folder, where);
  const content = readFolder(name, folder, where, {}, null);
  if (!linksWithoutExtension(content)) return { name, where, content };
  const dropExtension = '.html';
  return { name, where, content: readFolder(name, folder, where, { dropExtension }, null), dropExtension };
}

function configurationText(directory: string, sites: NewSite[]): string {
  const lines = sites.map(({ name, where, content, dropExtension }) => {
    const folder = relative(directory, resolve(where)).split(sep).join('/') || '.';
    return `  ${name}: ${content ? `{ folder: ${JSON.stringify(folder)}${dropExtension ? `, drop-extension: ${dropExtension}` : ''} }` : `{ address: ${JSON.stringify(where)} }`}`;
  });
  const { site, found } = sites[0]?.content ?? { site: null, found: [] };
  const forms = (site?.forms ?? []).map(
    (form) =>
      `  - { in: ${form.in},${form.attribute ? ` attribute: ${form.attribute},` : ''} like: ${JSON.stringify(form.like)} }`,
  );
  const seen = found.map(({ form, pages }) => `${form.like} on ${count(pages, 'page')}`).join(', ');
  return `# yaml-language-server: $schema=editor/local-needle.schema.json
# Local Needle: rules for single pages. See the README for every key.
version: 1
sites:
${lines.join('\n')}
${forms.length > 0 ? `# Found on the pages: ${seen}. Remove it to detect it on each run.\npage-id:\n${forms.join('\n')}\n` : '# page-id: left out, it is found on the pages. Example: { in: body-class, like: "page-{id}" }\n'}rules: rules/**/*.css
viewports: { desktop: 1280x800, phone: 390x844 }
`;
}

/** What an example can hide, if it is on the page. */
const examples = ['footer', '.footer', 'nav', 'header', 'aside', 'p'];

function exampleText(content: SiteContent | null): string {
  const page =
    content?.site.pages.find((each) => each.path !== '/' && soleHandles(each, content.site).length > 0) ??
    content?.site.pages[0];
  const path = page?.path.replace(/["\\]/g, '\\$&') ?? '/';
  const document = page && content?.open(page);
  const hidden = examples.find((each) => document && compileMatcher(each)(document).length > 0) ?? 'footer';
  return `/* A rule says which pages, which elements, what to do there, and why. */

@needle example {
  note: "What this is for; the note ships as a comment.";
  pages: path("${path}");
  paused: yes; /* remove this line to ship the rule */
  @hide ${hidden};
  h1 { color: teal; }
}
`;
}
