/** A command's entry in the program's help; its module is loaded when it is called. */
export interface CommandEntry {
  describe: string;
  /** Its arguments as yargs writes them: `<rule> <page>`. */
  usage?: string;
  /** How the error for a missing argument names it, where its name is not enough. */
  missing?: string;
  load: () => Promise<{ command: unknown }>;
}

/** Every command, in the order of the job. */
export const commands: Record<string, CommandEntry> = {
  init: {
    describe: 'Start a project for a folder of HTML or a running site',
    usage: '<source..>',
    missing: 'Name a folder of HTML or an address',
    load: () => import('./init.js'),
  },
  capture: {
    describe: 'Fetch the pages of a running site and keep them',
    usage: '[name] [addresses..]',
    load: () => import('./capture.js'),
  },
  pages: {
    describe: 'List the pages and how to target them',
    usage: '[page]',
    load: () => import('./pages.js'),
  },
  find: {
    describe: 'Find elements by selector or text, with selectors for them',
    usage: '[selector]',
    load: () => import('./find.js'),
  },
  add: {
    describe: 'Write a rule, after showing what it would do',
    usage: '<name>',
    missing: 'Name the rule',
    load: () => import('./add.js'),
  },
  rules: {
    describe: 'List the rules; pause or resume one',
    usage: '[do] [name]',
    load: () => import('./rules.js'),
  },
  convert: {
    describe: 'Convert old CSS and snippets into rules; no page changes',
    usage: '<files..>',
    load: () => import('./convert.js'),
  },
  check: {
    describe: 'Check what each rule does on each page',
    usage: '[rules..]',
    load: () => import('./check.js'),
  },
  report: {
    describe: 'Put the parts of a check together that several machines made',
    usage: '<parts..>',
    missing: 'Name the files of local-needle check --shard',
    load: () => import('./report.js'),
  },
  why: {
    describe: 'Explain one verdict: what wins on each element',
    usage: '<rule> <page>',
    load: () => import('./why.js'),
  },
  compare: {
    describe: 'Compare two sites and what the rules do on them',
    usage: '<a> <b>',
    missing: 'Name two sites of local-needle.yaml',
    load: () => import('./compare.js'),
  },
  preview: {
    describe: 'See the rules on the pages in your browser',
    usage: '[name]',
    load: () => import('./preview.js'),
  },
  'before-after': {
    describe: 'Take pictures of the pages without and with the rules',
    load: () => import('./before-after.js'),
  },
  build: { describe: 'Write what ships: bundle, snippets or patched pages', load: () => import('./build.js') },
  explain: {
    describe: 'Explain a finding or a verdict, with an example',
    usage: '[code]',
    load: () => import('./explain.js'),
  },
  demo: { describe: 'Show the whole job on a made-up site', usage: '[folder]', load: () => import('./demo.js') },
  'language-server': {
    describe: 'Findings, fixes and completion in your editor, while you type',
    load: () => import('./language-server.js'),
  },
  schema: {
    describe: 'Print the JSON Schema of local-needle.yaml',
    load: () => import('./schema.js'),
  },
  completion: {
    describe: 'Print a script that completes commands in your shell',
    usage: '[shell]',
    load: () => import('./completion.js'),
  },
};
