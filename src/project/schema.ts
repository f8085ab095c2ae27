import 'reflect-metadata';
import { getMetadataStorage } from 'class-validator';
import { validationMetadatasToSchemas } from 'class-validator-jsonschema';
import {
  Configuration,
  PageIdSettings,
  RuleDescriptors,
  SiteSettings,
  StateSettings,
  ViewportSettings,
  VisitorSettings,
  AllowSettings,
} from './configuration.js';
import { actionAtRules } from '../core/action/index.js';
import { knownKeys } from './shape.js';

interface Schema {
  properties?: Record<string, Schema>;
  [key: string]: unknown;
}

/** What each key is for, shown by editors. */
const explained: Record<string, string> = {
  sites: 'Where pages come from: a folder of HTML, an address or a HAR recording. The first site is the default.',
  folder: 'A folder of HTML, relative to this file.',
  address: 'The address of a running site; local-needle capture fetches its pages.',
  har: 'A HAR 1.2 recording of a visit.',
  'drop-extension': 'A file extension that page addresses may omit, such as .html.',
  'query-keys': 'Query parameters that tell pages apart.',
  'bundle-address': 'The address that pages load local-needle.css from.',
  headers: 'Request headers; values may use environment variables as ${NAME}. Sent to the own origin only.',
  cookies: 'Cookies; values may use environment variables as ${NAME}. Sent to the own origin only.',
  follow: 'Paths that capture follows although their links look as if they did something.',
  skip: 'Paths that capture never requests.',
  'also-capture': 'Addresses that capture fetches although nothing links to them.',
  'also-hosts': 'Hosts in private networks that the stylesheets of a public site may come from.',
  'accept-status': 'Statuses besides 200 whose answers are pages, such as [404].',
  allow: 'Findings about the site, rather than about a rule, that are accepted.',
  at: 'A path, an address or a pattern of these; left out, all are accepted.',
  reason: 'Why it is accepted.',
  marker: 'A selector that matches on every page of the visitor while the session lasts.',
  'page-id': 'How the site writes page IDs (default: detected on the pages).',
  rules: 'Rule files (default: rules/**/*.css).',
  'page-files': 'A folder of plain CSS and scripts named after the page they are for.',
  files: 'copy: files that CSS names are copied beside it; leave: their addresses stay as they are written.',
  place: 'Where pages load the build: head-end or body-end.',
  paths: 'handles: a path ships as the unique handle of its page; run-time: local-needle.js matches every path.',
  viewports: 'Sizes such as 1280x800, or { size: 390x844, touch: true }; the first is the default.',
  size: 'Width and height in CSS pixels, such as 390x844.',
  touch: 'A touch screen: (hover: none), (pointer: coarse).',
  'pixel-ratio': 'Device pixels to a CSS pixel.',
  'color-scheme': 'The colour scheme that the visitor prefers.',
  contrast: 'The contrast that the visitor prefers.',
  motion: 'reduce: the visitor prefers less motion.',
  media: 'print: the page as it is printed.',
  states: 'Variants of a page, such as scrolled.',
  visitors: 'Who requests the pages; values may use environment variables as ${NAME}.',
};

/** The JSON Schema (draft 2020-12) of local-needle.yaml, from the classes that validate it. */
export function configurationSchema(): Schema {
  const all = validationMetadatasToSchemas({
    classValidatorMetadataStorage: getMetadataStorage(),
    refPointerPrefix: '#/$defs/',
  }) as Record<string, Schema>;
  const of = (shape: { name: string }): Schema => explain({ ...all[shape.name], additionalProperties: false });
  const mapOf = (shape: { name: string }) => ({
    type: 'object',
    additionalProperties: { $ref: `#/$defs/${shape.name}` },
  });
  const root = of(Configuration);
  const form = { $ref: '#/$defs/PageIdSettings' };
  const text = { type: 'string' };
  const entries: Record<string, Schema> = {
    sites: { ...mapOf(SiteSettings), minProperties: 1 },
    'page-id': { anyOf: [form, { type: 'array', items: form }] },
    rules: { anyOf: [text, { type: 'array', items: text }] },
    viewports: {
      type: 'object',
      additionalProperties: {
        anyOf: [{ type: 'string', pattern: '^[1-9]\\d{1,4}x[1-9]\\d{1,4}$' }, { $ref: '#/$defs/ViewportSettings' }],
      },
    },
    states: mapOf(StateSettings),
    visitors: mapOf(VisitorSettings),
    allow: { type: 'array', items: { $ref: '#/$defs/AllowSettings' } },
  };
  for (const [key, schema] of Object.entries(entries))
    (root.properties ??= {})[key] = { ...schema, description: explained[key] };
  const textMaps = (schema: Schema) => {
    for (const property of Object.values(schema.properties ?? {}))
      if (property['type'] === 'object') Object.assign(property, { additionalProperties: text });
    return schema;
  };
  return {
    $schema: 'https://json-schema.org/draft/2020-12/schema',
    title: 'local-needle.yaml',
    ...root,
    $defs: {
      SiteSettings: textMaps(of(SiteSettings)),
      PageIdSettings: of(PageIdSettings),
      ViewportSettings: of(ViewportSettings),
      StateSettings: textMaps(of(StateSettings)),
      VisitorSettings: textMaps(of(VisitorSettings)),
      AllowSettings: of(AllowSettings),
    },
  };
}

function explain(schema: Schema): Schema {
  const properties = Object.fromEntries(
    Object.entries(schema.properties ?? {}).map(([key, value]) => [
      key,
      explained[key] ? { ...value, description: explained[key] } : value,
    ]),
  );
  // The library's name for it is not in the standard.
  for (const value of Object.values(properties)) if (value['format'] === 'url') value['format'] = 'uri';
  return { ...schema, properties };
}

const atRules: [name: string, description: string][] = [
  ['needle', 'A rule: @needle NAME { note: "…"; pages: path("/…"); … }'],
  ...[...actionAtRules.values()].map(({ name, describes }): [string, string] => [name, describes]),
  ['on', 'Actions for a part of the pages: @on path("/…") { … }'],
  ['style-file', 'CSS kept in a file of its own: @style-file url("…");'],
];
const descriptors: Record<string, string> = {
  note: 'Why the rule is there; ships as a comment.',
  pages:
    'Which pages: path("…"), page-id(…), body-id(…), body-class(…), query("…"), site(…), all. A comma is or, a space is and.',
  except: 'Which pages to exclude.',
  'page-count': 'How many pages the rule targets, such as 3.',
  important: 'yes: every declaration becomes !important.',
  'added-by': 'script: the element is added by a script.',
  paused: 'yes: listed, but not shipped.',
  until: 'The last day on which it ships: 2027-03-31.',
  allow: 'A finding to accept in this rule: missing-element "reason".',
};

/** Custom data by which editors complete the at-rules and descriptors of rule files in CSS. */
export function cssCustomData() {
  const ofActions = [...actionAtRules.values()].flatMap(({ descriptors: own }) => own);
  const names = [...knownKeys(RuleDescriptors), ...ofActions];
  return {
    version: 1.1,
    properties: names.map((name) => ({
      name,
      description: descriptors[name] ?? 'A descriptor of a Local Needle rule.',
    })),
    atDirectives: atRules.map(([name, description]) => ({ name: `@${name}`, description })),
  };
}
