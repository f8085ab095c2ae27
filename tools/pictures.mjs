// Makes every picture of docs/screenshots from the demo, each by the command that the README names beside it. Needs Chromium
// and `script` (util-linux), which gives a command a terminal; for the editor's Neovim, Xvfb, xterm and ImageMagick.
import { execFile, spawn } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import Convert from 'ansi-to-html';
import { chromium } from 'playwright-core';
import { startDemoServer } from '../dist/demo/server.js';
import { demoSettings, writeDemoProject } from '../dist/demo/site.js';
import { chromiumPath } from '../dist/src/browser/chromium.js';

const root = dirname(dirname(fileURLToPath(import.meta.url)));
const folder = join(root, 'docs', 'screenshots');
const program = join(root, 'dist', 'program', 'local-needle.js');
const project = join(mkdtempSync(join(tmpdir(), 'saltmere-')), 'ferries');
const size = { width: 1280, height: 800 };

/** Pictures of a terminal: file and command. */
const terminals = [
  ['capture', 'capture live'],
  ['pages', 'pages'],
  ['page', 'pages /tickets/pay'],
  ['find', 'find --text "Sign up" --page /contact'],
  ['add', 'add no-menu --path /tickets/pay --hide .menu --note "Pay first." --dry-run'],
  ['rules', 'rules'],
  ['check', 'check'],
  ['fix', 'check calm-footer route-colours promo-once --fix --dry-run'],
  ['why', 'why camera-colour /harbours/skerry'],
  ['compare', 'compare live staging'],
  ['convert', 'convert old/site-wide.css old/pay.html=/tickets/pay old/everywhere.html --dry-run'],
  ['build', 'build --as bundle --out public/assets --force'],
];

/** Runs a program in the project; the servers below must go on answering meanwhile. */
const call = (file, args, env = process.env) =>
  new Promise((done) =>
    execFile(file, args, { cwd: project, env, maxBuffer: 64 * 1024 * 1024 }, (error, stdout, stderr) =>
      done({ status: error ? error.code : 0, stdout, stderr }),
    ),
  );

/** What a command prints on a terminal of so many columns. */
async function inTerminal(command, columns) {
  const line = `stty cols ${columns}; exec ${process.execPath} ${program} ${command}`;
  const env = { ...process.env, TERM: 'xterm-256color', SHELL: '/bin/sh' };
  const { stdout } = await call('script', ['-qec', line, '/dev/null'], env);
  // A progress bar hides the cursor, draws over itself, and shows the cursor again.
  return stdout.replace(/\x1b\[\?25l[^]*?\x1b\[\?25h(\x1b\[[0-9;?]*[A-Za-z]|\r)*/g, '').replace(/\r/g, '');
}

/** A picture of Neovim, set up as docs/editors.md says, on a rule with a misspelt class. */
async function editorPicture() {
  const setup = /```lua\n([^]*?)```/.exec(readFileSync(join(root, 'docs', 'editors.md'), 'utf8'))[1];
  const own = setup.replace("'npx', 'local-needle'", `'${process.execPath}', '${program}'`);
  const init = join(dirname(project), 'init.lua');
  writeFileSync(init, `vim.o.number = true\nvim.o.shortmess = 'I'\nvim.o.signcolumn = 'yes'\n${own}`);
  const display = ':78';
  const screen = spawn('Xvfb', [display, '-screen', '0', `${size.width}x${size.height}x24`], { stdio: 'ignore' });
  const wait = (ms) => new Promise((done) => setTimeout(done, ms));
  await wait(1500);
  const env = { ...process.env, DISPLAY: display };
  const font = ['-fa', 'DejaVu Sans Mono', '-fs', '12', '-bg', '#ffffff', '-fg', '#1c2733'];
  const line = ['nvim', '-u', init, '-c', 'set background=light', '+22', 'rules/tickets.css'];
  const window = spawn('xterm', [...font, '-geometry', '126x41+0+0', '-e', ...line], {
    cwd: project,
    env,
    stdio: 'ignore',
  });
  await wait(7000);
  await call('import', ['-window', 'root', join(folder, 'editor.png')], env);
  window.kill();
  screen.kill();
}

const colours = new Convert({
  fg: '#1c2733',
  bg: '#ffffff',
  escapeXML: true,
  colors: { 1: '#b3261e', 2: '#1b6e3c', 6: '#0b6b7a' },
});
const terminalPage = (command, text) => `<!doctype html><meta charset="utf-8"><style>
  body { margin: 0; background: #ffffff; }
  pre { margin: 0; padding: 20px 24px; font: 15px/1.45 "DejaVu Sans Mono", monospace; color: #1c2733; }
  </style><pre><b>$ local-needle ${command.replace(/&/g, '&amp;').replace(/</g, '&lt;')}</b>\n${colours.toHtml(text)}</pre>`;

const servers = [await startDemoServer('live', 4810), await startDemoServer('staging', 4811)];
const browser = await chromium.launch({ executablePath: chromiumPath() ?? undefined, args: ['--no-sandbox'] });
const tab = await browser.newPage({ viewport: size });
const shot = (name, page = tab) => page.screenshot({ path: join(folder, `${name}.png`) });
const run = async (...words) => {
  const { status, stderr } = await call(process.execPath, [program, ...words]);
  if (status > 1) throw new Error(`${words.join(' ')}: ${stderr}`);
};

mkdirSync(folder, { recursive: true });
writeDemoProject(project);
await run('init', ...servers.map(({ address }, index) => `${index === 0 ? 'live' : 'staging'}=${address}`));
const settings = join(project, 'local-needle.yaml');
writeFileSync(settings, readFileSync(settings, 'utf8') + demoSettings);
await run('capture', 'staging');
for (const [name, command] of terminals) {
  await tab.setContent(terminalPage(command, await inTerminal(command, 136)));
  await shot(name);
}

await run('check', '--format', 'html', '--out', 'report.html');
await tab.goto(pathToFileURL(join(project, 'report.html')).href);
await shot('report');
await run('before-after', '--rule', 'winter-notice', '--out', 'pictures');
await tab.goto(pathToFileURL(join(project, 'pictures', 'index.html')).href);
await shot('contact-sheet');

// One page without and with what was built, side by side.
await run('build', '--as', 'snippets', '--out', 'snippets', '--force');
const address = `${servers[0].address}/winter`;
const snippet = readFileSync(join(project, 'snippets', 'winter.html'), 'utf8');
const half = await browser.newPage({ viewport: { width: 634, height: 760 } });
const halves = [];
for (const form of ['before', 'after']) {
  if (form === 'after')
    await half.route(address, async (route) => {
      const answer = await route.fetch();
      const headers = { ...answer.headers() };
      delete headers['content-security-policy'];
      await route.fulfill({
        response: answer,
        headers,
        body: (await answer.text()).replace('</head>', `${snippet}</head>`),
      });
    });
  await half.route('**/local-needle/files/*', (route) =>
    route.fulfill({
      path: join(project, 'snippets', 'files', new URL(route.request().url()).pathname.split('/').at(-1)),
    }),
  );
  await half.goto(address, { waitUntil: 'networkidle' });
  halves.push((await half.screenshot()).toString('base64'));
}
await editorPicture();
const figures = halves.map(
  (data, index) =>
    `<figure><img src="data:image/png;base64,${data}"><figcaption>${index === 0 ? 'before' : 'after'}</figcaption></figure>`,
);
await tab.setContent(
  `<style>body { margin: 0; display: flex; gap: 12px; background: #ddd; font: 16px/40px sans-serif; text-align: center; } figure { margin: 0; background: #fff; } img { display: block; }</style>${figures.join('')}`,
);
await shot('before-after');

const preview = spawn(process.execPath, [program, 'preview', '--port', '4820'], { cwd: project });
let said = '';
await new Promise((done, fail) => {
  const hear = (part) => {
    said += part;
    if (/Ctrl\+C/.test(said)) done();
  };
  preview.stdout.on('data', hear);
  preview.stderr.on('data', hear);
  preview.once('exit', () => fail(new Error(said)));
});
const [, overview = ''] = /Overview\s+(\S+)/.exec(said) ?? [];
const [, pages = ''] = /Pages\s+(\S+)/.exec(said) ?? [];
await tab.goto(overview);
await tab.locator('.verdict').first().waitFor();
await shot('preview-overview');
await tab.goto(new URL('/harbours/skerry', pages).href);
// Its frame stands in a closed shadow tree.
let panel;
for (const end = Date.now() + 20_000; !panel && Date.now() < end; await tab.waitForTimeout(50))
  panel = tab.frames().find((frame) => frame.url().includes('/panel?'));
await panel.getByRole('button', { name: /Local Needle/ }).click();
await panel.locator('#rules li').first().waitFor();
await panel.getByRole('button', { name: 'Point at an element' }).click();
await tab.locator('main h1').click();
await panel.locator('#picked input[type=radio]').first().waitFor();
await panel.getByLabel('Restyle').check();
await panel.getByLabel(/Declarations/).fill('color: #7a4b00; letter-spacing: 0.04em');
await panel.locator('.result .hit').waitFor();
await shot('preview-panel');
await tab.goto(`${overview}looks?${new URLSearchParams({ address: '/winter' }).toString()}`);
await tab.locator('#rules .verdict').first().waitFor();
await tab.locator('#beside').selectOption('phone');
await tab.getByLabel('both').check();
await tab.waitForTimeout(3000);
await shot('preview-looks');
preview.kill('SIGINT');

await browser.close();
await Promise.all(servers.map((server) => server.close()));
console.log(`${folder}: ${terminals.length + 7} pictures`);
