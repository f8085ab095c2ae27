import { spawn, type ChildProcess } from 'node:child_process';
import { connect } from 'node:net';
import { join } from 'node:path';
import type { BrowserContext, Frame, Page } from 'playwright-core';

/** The built program's `preview`, running in a folder. */
export interface Running {
  pages: string;
  overview: string;
  /** What it said so far, both streams. */
  said: () => string;
  stop: () => Promise<number | null>;
}

const program = join(process.cwd(), 'dist/program/local-needle.js');

/** Starts `preview` on ports that are free. */
export async function startPreview(
  directory: string,
  words: string[] = [],
  environment: Record<string, string> = {},
): Promise<Running> {
  const child: ChildProcess = spawn(process.execPath, [program, 'preview', '--port', '0', ...words], {
    cwd: directory,
    env: { ...process.env, ...environment },
  });
  let said = '';
  const hear = (part: Buffer) => (said += part.toString());
  child.stdout?.on('data', hear);
  child.stderr?.on('data', hear);
  const ended = new Promise<number | null>((done) => child.once('exit', done));
  await until(() => /Ctrl\+C/.test(said) || child.exitCode !== null, 30_000);
  const [overview = '', pages = ''] = ['Overview', 'Pages'].map(
    (name) => new RegExp(`^${name}\\s+(\\S+)`, 'm').exec(said)?.[1],
  );
  if (!pages) throw new Error(`preview did not start: ${said}`);
  return { pages, overview, said: () => said, stop: () => (child.kill('SIGINT'), ended) };
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
