import { appendFileSync } from 'node:fs';
import type { Browser } from 'playwright-core';
import { startDemoServer, type DemoServer } from '../../demo/server.js';
import { demoSettings, writeDemoProject } from '../../demo/site.js';
import { judgeInBrowser } from '../../src/browser/judge.js';
import { captureFolder, readCapturedSite } from '../../src/capture/capture-store.js';
import { check } from '../../src/core/check/check.js';
import type { CheckInput } from '../../src/core/check/input.js';
import { loadProject } from '../../src/project/project.js';
import { bundleOf, describeInBrowser, folderWith, run, runsOf } from '../helpers.js';
import { launchBrowser } from './chromium.js';

describeInBrowser('Every cell of the demo', () => {
  let browser: Browser;
  let directory: string;
  let servers: DemoServer[];
  beforeAll(async () => {
    browser = await launchBrowser();
    servers = [await startDemoServer('live'), await startDemoServer('staging')];
    directory = folderWith({});
    writeDemoProject(directory);
    await run(directory, ['init', `live=${servers[0]?.address}`, `staging=${servers[1]?.address}`]);
    appendFileSync(`${directory}/local-needle.yaml`, demoSettings);
    for (const site of ['live', 'staging']) await run(directory, ['capture', site]);
  });
  afterAll(async () => {
    await browser?.close();
    await Promise.all(servers.map((server) => server.close()));
  });

  test.each([
    ['live', 'desktop'],
    ['staging', 'phone'],
    ...(runsOf(0, 1) > 0
      ? [
          ['live', 'phone'],
          ['staging', 'desktop'],
        ]
      : []),
  ] as [string, string][])('of %s at %s is judged as Chromium judges it', async (name, viewport) => {
    const project = loadProject(directory);
    const view = readCapturedSite(name, captureFolder(directory, name, null), {}, project.settings.forms);
    if (!view) throw new Error(`${name} was not captured`);
    const { states, viewports, paths, place } = project.settings;
    const { rules, keptVisible, expectations } = project;
    const input: CheckInput = {
      ...{ rules, keptVisible, expectations, states, viewports, paths, place, viewport, today: '2026-11-23' },
      view: (visitor) => (visitor === null ? view : null),
      ...{ state: null, visitor: null, visitors: [], others: [], findings: [], loading: null },
    };
    const bundle = bundleOf(
      { ...input, site: view.site, open: view.open },
      ({ path }) => `files/${(path ?? '').replace(/^.*\//, '')}`,
    );
    const source = { file: () => null, live: false, headers: () => ({}), scripts: false };
    const { cells: theirs, failed } = await judgeInBrowser(browser, {
      input,
      bundleFor: () => bundle,
      source,
      timeoutMs: 30_000,
      isWanted: () => true,
    });
    expect(failed).toEqual([]);
    const told = (cells: typeof theirs) =>
      cells
        .map(({ rule, page, verdict, actions }) => ({
          cell: `${rule} on ${page}`,
          verdict,
          actions: actions.map(
            ({ action, selector, elements, pairs, won }) => `${action} ${selector} ${elements} ${pairs} ${won}`,
          ),
        }))
        .sort((a, b) => (a.cell < b.cell ? -1 : 1));
    const ours = check(input).cells;
    expect(ours.length).toBeGreaterThan(25);
    expect(told(ours)).toEqual(told(theirs));
  });
});
