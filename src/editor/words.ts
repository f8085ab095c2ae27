/** A word of rule files with what it means. */
export interface Word {
  name: string;
  means: string;
  /** What is put in; `$0` is where the cursor goes. */
  insert: string;
}

/** Descriptors of `@needle`. */
export const descriptors: Word[] = [
  { name: 'note', means: 'Why the rule is there; ships as a comment.', insert: 'note: "$0";' },
  {
    name: 'pages',
    means: 'Which pages: path("/…"), page-id(…), body-class(…), query("…"), site(…), all.',
    insert: 'pages: $0;',
  },
  { name: 'except', means: 'Which of these pages are excluded.', insert: 'except: $0;' },
  {
    name: 'page-count',
    means: 'How many pages the rule targets; another number is an error.',
    insert: 'page-count: $0;',
  },
  { name: 'important', means: 'Every declaration becomes !important.', insert: 'important: yes;' },
  {
    name: 'state',
    means: 'How the pages look when the rule is checked: a state of local-needle.yaml.',
    insert: 'state: $0;',
  },
  { name: 'visitor', means: 'For whom the rule is checked: a visitor of local-needle.yaml.', insert: 'visitor: $0;' },
  {
    name: 'viewport',
    means: 'At which size the rule is checked: a viewport of local-needle.yaml.',
    insert: 'viewport: $0;',
  },
  { name: 'added-by', means: 'A script adds the element, so it may be missing.', insert: 'added-by: script;' },
  { name: 'paused', means: 'Listed, but not checked and not shipped.', insert: 'paused: yes;' },
  { name: 'until', means: 'The last day on which it ships.', insert: 'until: $0;' },
  { name: 'allow', means: 'A finding that is accepted for this rule, with the reason.', insert: 'allow: $0 "";' },
];

/** At-rules in `@needle`. */
export const atRules: Word[] = [
  { name: '@hide', means: 'display: none !important.', insert: '@hide $0;' },
  { name: '@only-here', means: 'Hidden on all other pages.', insert: '@only-here $0;' },
  { name: '@swap', means: 'Another image, text or HTML in its place.', insert: '@swap $0 { text: ""; }' },
  { name: '@mark-current', means: 'Styles the links that lead to the page itself.', insert: '@mark-current $0 { }' },
  { name: '@script', means: 'A script for these pages only.', insert: '@script url("$0");' },
  { name: '@style-file', means: 'CSS in its own file.', insert: '@style-file url("$0");' },
  { name: '@stylesheet', means: 'A stylesheet on the web, for these pages only.', insert: '@stylesheet url("$0");' },
  { name: '@on', means: 'Actions and style rules for some of the pages.', insert: '@on $0 { }' },
];

/** What stands at the top level of a rule file. */
export const topLevel: Word[] = [
  {
    name: '@needle',
    means: 'A rule: what happens to some elements on some pages.',
    insert: '@needle $0 {\n  note: "";\n  pages: path("/");\n}',
  },
  { name: '@keep-visible', means: 'Elements that no rule may hide.', insert: '@keep-visible $0 { note: ""; }' },
  { name: '@expect', means: 'How a page must look.', insert: '@expect $0 {\n  note: "";\n}' },
];

/** Terms of conditions. */
export const terms: Word[] = [
  { name: 'path', means: 'A path of the site, or a pattern: /winter/*.', insert: 'path("$0")' },
  { name: 'page-id', means: 'The page with this ID.', insert: 'page-id($0)' },
  { name: 'body-id', means: 'The ID of body.', insert: 'body-id($0)' },
  { name: 'body-class', means: 'Pages whose body has all of these classes.', insert: 'body-class($0)' },
  { name: 'query', means: 'A query parameter.', insert: 'query("$0")' },
  { name: 'site', means: 'The pages of this site.', insert: 'site($0)' },
  { name: 'all', means: 'Every page.', insert: 'all' },
];
