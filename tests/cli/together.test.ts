import { appendFileSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { makePages, makeProject } from '../../bench/project.js';
import { claimFor } from '../../src/app/parallel-check.js';
import { openCheck } from '../../src/app/check-input.js';
import { check } from '../../src/core/check/check.js';
import { runBuilt } from '../helpers.js';

/** A report as it is printed: what was not tried is left out. */
const asShown = (report: unknown): unknown =>
  JSON.parse(JSON.stringify(report, (key, value: unknown) => (key === 'proposals' ? undefined : value)));

describe('A check by several threads', () => {
  test('gives the report that one thread gives', async () => {
    const directory = makeProject(
      makePages(120, () => 8),
      { rules: 3, targeted: 120 },
    );
    // Hints on what is missing name other pages.
    const mistake = '\n@needle typo { pages: path("/p/1{*}?"); @hide .part-3 h22; }\n';
    appendFileSync(join(directory, 'rules/bench-000.css'), mistake);
    const { input } = openCheck({ project: directory });
    const alone = check({ ...input, results: undefined });
    expect(alone.cells.length).toBeGreaterThanOrEqual(120 * 3);
    const { out } = await runBuilt(directory, ['check', '--format', 'json']);
    expect(JSON.parse(out)).toEqual(asShown(alone));
    // And again, from what was kept.
    expect((await runBuilt(directory, ['check', '--format', 'json'])).out).toBe(out);
    // A build asks its questions in the same threads; later nothing is left to ask.
    rmSync(join(directory, '.local-needle'), { recursive: true, force: true });
    const built: string[] = [];
    for (const name of ['asked', 'known']) {
      const { log } = await runBuilt(directory, ['build', '--force', '--out', name]);
      expect(log).not.toContain('build-differs');
      built.push(readFileSync(join(directory, name, 'local-needle.css'), 'utf8'));
    }
    expect(built[1]).toBe(built[0]);
  });

  test('shares pages in rows, each taken once', () => {
    const taken = new Int32Array(new SharedArrayBuffer(40));
    const claims = [1, 2, 3].map((number) => claimFor({ taken, number }));
    const ownersOf = (index: number) =>
      [0, 1, 2].map((turn) => (turn + index) % 3).filter((each) => claims[each]?.(index));
    const owners = [...Array(90).keys()].map(ownersOf);
    for (const each of owners) expect(each).toHaveLength(1);
    // The first to ask for a row has all of it.
    expect(owners.slice(0, 80).flat()).toEqual([...Array(80).keys()].map((index) => (Math.floor(index / 8) * 8) % 3));
    // Beyond what can be shared the first thread does it all.
    expect(owners.slice(80).flat()).toEqual(Array(10).fill(0));
  });
});
