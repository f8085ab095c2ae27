import { chmodSync, existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { writeDemoProject, writeDemoSite } from '../../demo/site.js';
import type { FindReport } from '../../src/core/find/find.js';
import { withPause } from '../../src/project/edit.js';
import { folderWith, pageHtml, run, smallProject } from '../helpers.js';

function demoProject(): string {
  const directory = folderWith({ 'local-needle.yaml': 'version: 1\nsites: { live: { folder: live } }\n' });
  writeDemoProject(directory);
  writeDemoSite(join(directory, 'live'), 'live');
  return directory;
}

describe('find', () => {
  const directory = demoProject();
  const found = async (...words: string[]) =>
    JSON.parse((await run(directory, ['find', '--format', 'json', ...words])).out) as FindReport;

  test('counts a selector on every page and lists those that match', async () => {
    const report = await found('.steps .current');
    expect(report).toMatchObject({
      kind: 'local-needle.find',
      version: 1,
      site: 'live',
      selector: '.steps .current',
      total: 4,
    });
    expect(report.pages).toEqual(
      ['/tickets/choose', '/tickets/done', '/tickets/passengers', '/tickets/pay'].map((path) => ({
        path,
        elements: 1,
      })),
    );
    expect(report.elements[0]).toMatchObject({
      place: 'body > div#main > main.content > ol.steps > li.current',
      words: 'Crossing',
      id: null,
      classes: ['current'],
    });
    expect((await found('.hero .slide, h1')).total).toBe(5 + 30);
  });

  test.each([
    ['Sign up', '/contact', 'body > footer.footer > div#sign-up > form > button.button', '#sign-up .button'],
    ['promo CODE', '/tickets/pay', 'body > div#main > … > div.promo-field > label', '.promo-field label'],
    ['Terms of carriage', '/contact', 'body > footer.footer > div.band > a', 'a[href="/legal/terms"]'],
  ])('proposes a selector for the words %s on %s', async (words, page, place, best) => {
    const report = await found('--text', words, '--page', page);
    expect(report.page).toBe(page);
    expect(report.elements[0]?.place).toBe(place);
    const [first] = report.elements[0]?.proposals ?? [];
    expect(first?.selector).toBe(best);
    expect(first?.here).toBe(1);
    const again = await found(best, '--page', page);
    expect(again.pages.find(({ path }) => path === page)?.elements).toBe(1);
    expect(again.pages.length - 1).toBe(first?.otherPages);
  });

  test('says the position where that is all there is, with its trap', async () => {
    const report = await found('.steps li', '--page', '/tickets/pay');
    expect(report.elements.map(({ proposals }) => proposals[0]?.selector)).toEqual([
      ...['.steps li:nth-of-type(1)', '.steps li:nth-of-type(2)', '.current', '.steps li:nth-of-type(4)'],
    ]);
    expect(report.elements[1]?.proposals[0]?.reason).toMatch(
      /the 2nd <li> of its parent; :nth-of-type counts tags, not classes/,
    );
    // What is inside tells it better.
    const menu = await found('.menu li', '--page', '/');
    expect(menu.elements[1]?.proposals[0]?.selector).toBe('li:has(a[href="/timetables"])');
  });

  test('names near misses where nothing matches', async () => {
    expect((await found('.promo-feild')).nearMisses[0]).toEqual({
      selector: '.promo-field',
      elements: 1,
      page: '/tickets/choose',
      why: 'typo',
    });
    expect((await found('#masthead', '--page', '/contact')).nearMisses[0]?.selector).toBe('.masthead');
    expect((await run(directory, ['find', '.no-such-thing'])).out).toContain('matches nothing on live');
  });

  test('refuses a selector that browsers would, and says where', async () => {
    for (const [words, message] of [
      [['.a, ..b'], /selector:1:6 .*not a valid selector/],
      [['.a:hoover'], /selector:1:3 [^]*Did you mean hover\?/],
      [['.a', '--text', 'x'], /Name a selector, or text/],
      [['.a', '--page', '/contakt'], /Did you mean \/contact\?/],
    ] as [string[], RegExp][]) {
      const { status, log } = await run(directory, ['find', ...words]);
      expect([status, log]).toEqual([2, expect.stringMatching(message)]);
    }
  });

  test('shows the first few of 100,000 elements, and ends when its time is up', async () => {
    const big = smallProject('', { 'public/big.html': pageHtml('', '<i class="many"></i>'.repeat(100_000)) });
    const report = JSON.parse((await run(big, ['find', 'i.many', '--format', 'json'])).out) as FindReport;
    expect([report.total, report.elements.length]).toEqual([100_000, 5]);
    const late = JSON.parse(
      (await run(big, ['find', 'i', '--timeout', '0.001', '--format', 'json'])).out,
    ) as FindReport;
    expect(late.cutOff).toBe(true);
    const expensive = JSON.parse(
      (await run(big, ['find', '.no ~ i ~ i ~ i', '--timeout', '2', '--format', 'json'])).out,
    ) as FindReport;
    expect(expensive.cutOff).toBe(true);
  });
});

describe('add', () => {
  const added = (directory: string) => readFileSync(join(directory, 'rules/added.css'), 'utf8');

  test('shows a rule with the pages that it would hit, and writes it at the end', async () => {
    const directory = demoProject();
    const words = [
      'add',
      'no-signup',
      '--path',
      '/contact',
      '--page-id',
      '90',
      '--except-path',
      '/fare-alert',
      '--hide',
      '#sign-up',
      '--swap-text',
      '.content h1',
      'Talk "to" us',
      '--style',
      '.content { color: teal; }',
      '--note',
      'Asks twice.',
      '--important',
    ];
    const tried = await run(directory, [...words, '--dry-run']);
    expect(tried.status).toBe(0);
    expect(tried.out).toMatch(/@needle no-signup[^]*no-signup\s+\/contact\s+hit[^]*Nothing was written/);
    expect(existsSync(join(directory, 'rules/added.css'))).toBe(false);
    expect((await run(directory, words)).status).toBe(0);
    expect(added(directory)).toBe(
      '@needle no-signup {\n  note: "Asks twice.";\n  pages: path("/contact"), page-id(90);\n  except: path("/fare-alert");\n  important: yes;\n  @hide #sign-up;\n  @swap .content h1 { text: "Talk \\"to\\" us"; }\n  .content { color: teal; }\n}\n',
    );
    expect((await run(directory, ['add', 'no-signup', '--all', '--hide', 'h1'])).log).toMatch(
      /The rule "no-signup" already exists in rules\/added\.css:1/,
    );
    expect((await run(directory, ['check', '--format', 'json'])).out).toContain('"no-signup"');
  });

  test('writes nothing where the rule has errors, unless it is wanted all the same', async () => {
    const directory = demoProject();
    const words = ['add', 'oops', '--path', '/contact', '--hide', '.mastheat'];
    const refused = await run(directory, words);
    expect([refused.status, refused.out]).toEqual([1, expect.stringContaining('.masthead matches 1 there (typo)')]);
    expect(existsSync(join(directory, 'rules/added.css'))).toBe(false);
    expect((await run(directory, [...words, '--force'])).status).toBe(1);
    expect(added(directory)).toContain('@hide .mastheat;');
  });

  test.each<[string, string[], RegExp]>([
    ['no pages', ['add', 'x', '--hide', '.a'], /does not say which pages/],
    ['no action', ['add', 'x', '--path', '/'], /does nothing/],
    ['a bad name', ['add', '1 x', '--all', '--hide', 'h1'], /is not a valid rule name/],
    [
      'a selector that closes the block',
      ['add', 'x', '--all', '--hide', 'h1; } @needle y { pages: all; @hide h2'],
      /do not make one rule|error/,
    ],
    ['a state that is not there', ['add', 'x', '--all', '--hide', 'h1', '--state', 'a; }'], /There is no state "a; }"/],
    ['a file outside', ['add', 'x', '--all', '--hide', 'h1', '--file', '../x.css'], /not a rule file of the project/],
  ])('refuses %s', async (_name, words, message) => {
    const directory = smallProject('');
    const { status, log, out } = await run(directory, words);
    expect(status).toBeGreaterThan(0);
    expect(log + out).toMatch(message);
    expect(readFileSync(join(directory, 'rules/a.css'), 'utf8')).toBe('');
    expect(existsSync(join(directory, 'rules/added.css'))).toBe(false);
  });

  test('keeps Windows line ends, a byte order mark, and everything else that is there', async () => {
    for (const before of [
      '\ufeff/* ä */\r\n@needle a { pages: all; @hide .x; }\r\n',
      '@needle a { pages: all; @hide .x; } /* no end of line */',
      '\n\n@needle a{pages:all;@hide .x}\n\t',
    ]) {
      const directory = smallProject(before);
      expect((await run(directory, ['add', 'b', '--path', '/', '--hide', '.x', '--file', 'rules/a.css'])).status).toBe(
        0,
      );
      const after = readFileSync(join(directory, 'rules/a.css'), 'utf8');
      expect(after.startsWith(before)).toBe(true);
      expect(after.slice(before.length).includes('\r\n')).toBe(before.includes('\r\n'));
      expect(after.slice(before.length).replace(/\r\n/g, '\n').trim()).toBe(
        '@needle b {\n  pages: path("/");\n  @hide .x;\n}',
      );
    }
  });

  test('leaves a broken or a read-only file as it is', async () => {
    const broken = smallProject('@needle a {');
    expect((await run(broken, ['add', 'b', '--all', '--hide', 'h1', '--file', 'rules/a.css'])).status).toBe(2);
    expect(readFileSync(join(broken, 'rules/a.css'), 'utf8')).toBe('@needle a {');
    const locked = smallProject('@needle a { pages: path("/"); @hide .x; }');
    chmodSync(join(locked, 'rules/a.css'), 0o444);
    const { status, log } = await run(locked, ['add', 'b', '--path', '/', '--hide', '.x', '--file', 'rules/a.css']);
    expect([status, log]).toEqual([3, expect.stringMatching(/is read-only and was not changed/)]);
  });
});

describe('rules', () => {
  test('lists every rule with its note and verdicts', async () => {
    const directory = demoProject();
    const { rules } = JSON.parse((await run(directory, ['rules', '--format', 'json'])).out) as {
      rules: { rule: string; status: string; note: string; targets: number; verdicts: Record<string, number> }[];
    };
    expect(rules.find(({ rule }) => rule === 'calm-payment')).toMatchObject({
      status: 'active',
      note: 'Nobody should be led away while paying.',
      targets: 1,
      verdicts: { hit: 1 },
    });
    expect(rules.find(({ rule }) => rule === 'old-banner')?.status).toBe('paused');
    expect((await run(directory, ['rules'])).out).toMatch(/17 rules, 1 paused/);
  });

  test.each([
    ['@needle a {\n  pages: all;\n  @hide .x;\n}\n'],
    ['@needle a { pages: all; @hide .x; }'],
    ['@needle a {pages:all;@hide .x}'],
    ['/* { */ @needle  a  {\r\n\tpages: all;\r\n\t@hide .x; }\r\n@needle b { pages: all; paused: yes; @hide .x; }'],
  ])('pauses and resumes %j, and it comes back byte for byte', (text) => {
    const paused = withPause(text, 'a', true);
    expect(paused).not.toBe(text);
    expect(paused).toMatch(/@needle\s+a\s+\{\s*paused: yes;/);
    expect(withPause(paused, 'a', true)).toBe(paused);
    expect(withPause(paused, 'a', false)).toBe(text);
    expect(withPause(text.replace('pages: all;', 'pages: all; paused: no;'), 'a', true)).toContain('paused: yes;');
  });

  test('through the program, a file goes through add, pause and resume and comes back but for the rule', async () => {
    const directory = demoProject();
    const file = join(directory, 'rules/tickets.css');
    writeFileSync(file, readFileSync(file, 'utf8').replace(/\n/g, '\r\n'));
    const before = readFileSync(file, 'utf8');
    await run(directory, ['add', 'last', '--path', '/contact', '--hide', '#sign-up', '--file', 'rules/tickets.css']);
    const withRule = readFileSync(file, 'utf8');
    expect(withRule.startsWith(before)).toBe(true);
    expect((await run(directory, ['rules', 'pause', 'calm-payment'])).out).toMatch(/is paused/);
    expect((await run(directory, ['check', '--format', 'json'])).out).toMatch(
      /"rule": "calm-payment",\s+"file": "rules\/tickets.css",\s+"line": 3,\s+"paused": true/,
    );
    expect((await run(directory, ['rules', 'resume', 'calm-payment'])).out).toMatch(/is on/);
    expect(readFileSync(file, 'utf8')).toBe(withRule);
    const unknown = await run(directory, ['rules', 'pause', 'calm-paymint']);
    expect([unknown.status, unknown.log]).toEqual([2, expect.stringContaining('Did you mean calm-payment?')]);
  });
});
