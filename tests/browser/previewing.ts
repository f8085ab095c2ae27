import { spawn } from 'node:child_process';
import { connect } from 'node:net';
import { join } from 'node:path';
import type { BrowserContext, Frame, Page } from 'playwright-core';
import { builtEntry } from '../helpers.js';

/** A `preview` of the built program that runs. */
export interface Running {
  pages: string;
  overview: string;
  /** What it said so far, both streams. */
  said: () => string;
  stop: () => Promise<number | null>;
}

const program = join(process.cwd(), 'dist/program/local-needle.js');

/** Starts `preview` in a folder, in a process of its own, on ports that are free. */
export async function startPreviewProcess(directory: string): Promise<Running> {
  const child = spawn(process.execPath, [program, 'preview', '--port', '0'], { cwd: directory });
  const said: string[] = [];
  const hear = (part: Buffer) => said.push(part.toString());
  child.stdout.on('data', hear);
  child.stderr.on('data', hear);
  const ended = new Promise<number | null>((done) => child.once('exit', done));
  return started(said, ended, () => child.kill('SIGINT'));
}

/** Starts `preview` of a project in this process, which saves the start of one; in all else as the other. */
export async function startPreview(
  directory: string,
  words: string[] = [],
  environment: Record<string, string> = {},
): Promise<Running> {
  const execute = await builtEntry();
  const before = Object.keys(environment).map((name) => [name, process.env[name]] as const);
  Object.assign(process.env, environment);
  // What the preview itself listens for: an interrupt of this process would end the tests.
  const others = signals.map((signal) => process.rawListeners(signal));
  const interrupt = () =>
    signals.forEach((signal, at) => {
      for (const each of process.rawListeners(signal).filter((listener) => !others[at]?.includes(listener))) {
        process.off(signal, each as NodeJS.SignalsListener);
        each(signal);
      }
    });
  const said: string[] = [];
  const hear = (text: string) => void said.push(`${text}\n`);
  const ended = execute(['preview', '--project', directory, '--port', '0', ...words], { out: hear, log: hear });
  return started(
    said,
    ended.finally(() => {
      for (const [name, value] of before) {
        if (value === undefined) delete process.env[name];
        else process.env[name] = value;
      }
    }),
    interrupt,
  );
}

const signals = ['SIGINT', 'SIGTERM'] as const;

/** A preview that says where it is. Throws if it ends before. */
async function started(said: string[], ended: Promise<number | null>, interrupt: () => unknown): Promise<Running> {
  let isOver = false;
  void ended.then(() => (isOver = true));
  const text = () => said.join('');
  await until(() => isOver || /Ctrl\+C/.test(text()), 30_000);
  const [overview = '', pages = ''] = ['Overview', 'Pages'].map(
    (name) => new RegExp(`^${name}\\s+(\\S+)`, 'm').exec(text())?.[1],
  );
  if (!pages) throw new Error(`preview did not start: ${text()}`);
  return { pages, overview, said: text, stop: () => (interrupt(), ended) };
}

/** Waits until something holds; a page may be reloaded meanwhile. Throws where it never does. */
export async function until(holds: () => unknown, ms = 20_000): Promise<void> {
  const end = Date.now() + ms;
  const held = async () => {
    try {
      return await holds();
    } catch {
      return false;
    }
  };
  while (!(await held())) {
    if (Date.now() > end) throw new Error(`Never came true: ${holds.toString()}`);
    await new Promise((done) => setTimeout(done, 40));
  }
}

/** A tab with the panel of the page at an address, opened unless said otherwise. */
export async function pageWithPanel(
  context: BrowserContext,
  address: string,
  open = true,
): Promise<{ tab: Page; panel: Frame }> {
  const tab = await context.newPage();
  await tab.goto(address);
  let panel = await panelOf(tab);
  // A page that is loaded again meanwhile has another frame.
  if (open)
    await until(async () => {
      panel = await panelOf(tab);
      await panel.getByRole('button', { name: /Local Needle/ }).click({ timeout: 5000 });
      return true;
    }, 40_000);
  return { tab, panel };
}

/** The panel of a page, once it is filled; the page may be loaded again meanwhile. */
export async function panelOf(tab: Page): Promise<Frame> {
  let panel: Frame | undefined;
  await until(async () => {
    panel = tab.frames().find((frame) => frame.url().includes('/panel?'));
    return (await panel?.locator('#handles li').count()) !== 0 && panel;
  }, 20_000);
  return panel!;
}

/** Sends a request as it is, and gives the answer as it comes. */
export const raw = (address: string, request: string): Promise<string> =>
  new Promise((done, fail) => {
    const { hostname, port } = new URL(address);
    const socket = connect(Number(port), hostname, () => socket.end(request.replace(/\n/g, '\r\n')));
    let answer = '';
    socket.on('data', (part) => (answer += part.toString('latin1')));
    socket.on('close', () => done(answer));
    socket.on('error', fail);
  });
