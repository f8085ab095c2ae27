import { cpSync, readdirSync, readFileSync, rmSync, statSync, utimesSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { writeDemoProject, writeDemoSite } from '../../demo/site.js';
import { folderWith, run } from '../helpers.js';

describe('A check in parts', () => {
  const [parts, machines] = [folderWith({}), folderWith({})];
  const project = join(machines, 'ferries');
  const file = (name: string) => join(parts, name);
  let whole: string;

  /** The project as another machine has checked it out: the same files at another time. */
  function checkedOut(name: string): string {
    const directory = join(machines, name);
    cpSync(project, directory, { recursive: true });
    rmSync(join(directory, '.local-needle'), { recursive: true, force: true });
    for (const each of readdirSync(directory, { recursive: true, encoding: 'utf8' }))
      if (statSync(join(directory, each)).isFile()) utimesSync(join(directory, each), 1, name.length * 1000);
    return directory;
  }

  beforeAll(async () => {
    writeDemoProject(project);
    for (const site of ['live', 'staging'] as const) writeDemoSite(join(project, site), site);
    await run(project, ['init', 'live=live', 'staging=staging']);
    for (const [index, name] of ['a', 'bb', 'ccc'].entries()) {
      const part = file(`part-${index + 1}.json`);
      const { status, out } = await run(checkedOut(name), ['check', '--shard', `${index + 1}/3`, '--out', part]);
      expect([status, out]).toEqual([0, expect.stringMatching(/: 10 of 30 pages judged\.\n$/)]);
    }
    whole = checkedOut('whole');
  });
  const all = () => [1, 2, 3].map((number) => file(`part-${number}.json`));

  test.each(['text', 'json', 'csv', 'sarif', 'junit', 'markdown', 'html'])(
    'is the same as one check, byte for byte, as %s',
    async (format) => {
      const directory = checkedOut(`report-of-${format}`);
      const report = await run(directory, ['report', ...all(), '--format', format]);
      expect(report).toMatchObject({ status: 1, log: '' });
      expect(report.out).toBe((await run(whole, ['check', '--format', format])).out);
    },
  );

  test('tells what does not hit any more since it was accepted', async () => {
    const directory = checkedOut('accepted');
    await run(directory, ['check', '--accept', '--fail-on', 'never']);
    const file = join(directory, 'local-needle.accepted.json');
    writeFileSync(file, readFileSync(file, 'utf8').replaceAll('"overridden"', '"hit"'));
    const report = await run(directory, ['report', ...all(), '--format', 'json']);
    expect(report.out).toContain('no-longer-hit');
    expect(report.out).toBe((await run(directory, ['check', '--format', 'json'])).out);
  });

  test('judges pages anew that are not as they were', async () => {
    const directory = checkedOut('changed');
    const page = join(directory, 'live/tickets/pay/index.html');
    writeFileSync(page, readFileSync(page, 'utf8').replace('promo-field', 'promo-feild'));
    const { log, out } = await run(directory, ['report', ...all(), '--format', 'json']);
    expect(log).toMatch(/^1 page differed from what the parts judged, and was judged here\./);
    expect(out).toBe((await run(directory, ['check', '--format', 'json'])).out);
  });

  test.each<[what: string, words: () => string[], RegExp]>([
    ['a part that is missing', () => ['report', file('part-1.json'), file('part-3.json')], /Part 2 of 3 is missing/],
    ['a file that is no part', () => ['report', join(project, 'local-needle.yaml')], /is no part of a check/],
    ['a file that is not there', () => ['report', file('none.json')], /none\.json cannot be read/],
    ['part 4 of 3', () => ['check', '--shard', '4/3', '--out', file('x.json')], /--shard cannot be "4\/3"/],
    ['no file', () => ['check', '--shard', '1/3'], /--shard needs a file/],
    [
      'one rule',
      () => ['check', 'calm-footer', '--shard', '1/3', '--out', file('x.json')],
      /for all rules[^]*calm-footer/,
    ],
  ])('refuses %s', async (_what, words, message) => {
    const { status, log } = await run(project, words());
    expect([status > 1, log]).toEqual([true, expect.stringMatching(message)]);
  });

  test('refuses parts of different checks, and of another version', async () => {
    const { out } = await run(project, ['check', '--site', 'staging', '--shard', '2/3', '--out', file('other.json')]);
    expect(out).toContain('judged');
    expect((await run(project, ['report', file('part-1.json'), file('other.json')])).log).toMatch(/different checks/);
    const old = readFileSync(file('part-1.json'), 'utf8').replace(/"program":"[^"]*"/, '"program":"0.0.9"');
    writeFileSync(file('old.json'), old);
    expect((await run(project, ['report', file('old.json')])).log).toMatch(/was made by Local Needle 0\.0\.9/);
  });
});
