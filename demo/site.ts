import { cpSync, existsSync, mkdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { demoPages, type DemoPage } from './pages.js';

/** The two copies of the demo's site: the same pages, but each content system assigned IDs of its own. */
export type Copy = 'live' | 'staging';

/** The folder of this package: from wherever this file was compiled to. */
export function packageFolder(): string {
  let folder = dirname(fileURLToPath(import.meta.url));
  while (!existsSync(join(folder, 'demo', 'assets'))) folder = dirname(folder);
  return folder;
}

const stagingEntry = (entry: string) => [...entry].reverse().join('');

function bodyTag({ id, entry, classes = [], bodyId }: DemoPage, copy: Copy): string {
  const numbered = id === null ? [] : [`page-${copy === 'live' ? id : id + 300}`];
  const entered = entry ? [`entry-${copy === 'live' ? entry : stagingEntry(entry)}`] : [];
  const all = [...numbered, ...entered, ...classes];
  return `<body${bodyId ? ` id="${bodyId}"` : ''}${all.length > 0 ? ` class="${all.join(' ')}"` : ''}>`;
}

const menu = [
  ['/routes', 'Routes'],
  ['/timetables', 'Timetables'],
  ['/tickets', 'Tickets'],
  ['/harbours', 'Harbours'],
  ['/journal', 'Journal'],
];

/** One page of the demo as the content system would write it. */
export function renderPage(page: DemoPage, copy: Copy): string {
  return `<!DOCTYPE html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${page.title} · Saltmere Ferries</title>
<link rel="stylesheet" href="/assets/site.css">
<link rel="stylesheet" href="/assets/theme.css">
</head>
${bodyTag(page, copy)}
<a class="skip" href="#main">Skip to the content</a>
<header class="masthead">
  <a class="logo" href="/"><img src="/assets/logo.svg" alt="Saltmere Ferries" width="180" height="48"></a>
  <nav aria-label="Main"><ul class="menu">
${menu.map(([href, name]) => `    <li><a href="${href}">${name}</a></li>`).join('\n')}
    <li><a class="camera" href="/harbours/skerry">Harbour camera</a></li>
  </ul></nav>
</header>
<div id="main">
${page.body}
</div>
<footer class="footer">
  <div class="band sign-up" id="sign-up"><h2>News from the sound</h2><form><input type="email" aria-label="E-mail"> <button class="button">Sign up</button></form></div>
  <div class="band links"><ul><li><a href="/contact">Contact</a></li><li><a href="/fare-alert">Fare alert</a></li><li><a href="/winter">Winter season</a></li></ul></div>
  <div class="band legal"><a href="/legal/terms">Terms of carriage</a><a href="/legal/privacy">Privacy</a><p class="copyright">© Saltmere Ferries</p></div>
</footer>
<script src="/assets/site.js" defer></script>
</body>
</html>
`;
}

/** Where a path's file is in a folder of HTML. */
export const fileOf = (path: string) => (path === '/' ? 'index.html' : `${path.slice(1)}/index.html`);

/** Writes one copy of the site as a folder of HTML with its assets. */
export function writeDemoSite(folder: string, copy: Copy): void {
  for (const page of demoPages) {
    const file = join(folder, fileOf(page.path));
    mkdirSync(dirname(file), { recursive: true });
    writeFileSync(file, renderPage(page, copy));
  }
  cpSync(join(packageFolder(), 'demo', 'assets'), join(folder, 'assets'), { recursive: true });
}

/** What the demo adds to the local-needle.yaml that `init` writes. */
export const demoSettings = `states:
  scrolled: { add-class: { .masthead: is-stuck } }
  menu-hovered: { pseudo-class: { ".menu a": hover } }
visitors:
  member: { cookies: { crew: "\${CREW_COOKIE}" } }
`;

/** Writes the rules, pictures and scripts of the demo's project; local-needle.yaml is left to `init`. */
export function writeDemoProject(directory: string): void {
  mkdirSync(directory, { recursive: true });
  for (const part of ['rules', 'assets', 'fragments', 'scripts', 'old']) {
    cpSync(join(packageFolder(), 'demo', 'project', part), join(directory, part), { recursive: true });
  }
}
