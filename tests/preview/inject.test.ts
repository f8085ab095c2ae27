import { injected } from '../../src/preview/inject.js';
import { relaxed } from '../../src/preview/relax-policy.js';
import {
  ApplyRequest,
  ChangeRequest,
  CountRequest,
  DraftRequest,
  FixesRequest,
  PickRequest,
  requestOf,
  RuleRequest,
  SwitchRequest,
} from '../../src/preview/requests.js';

const own = 'http://127.0.0.1:1/.local-needle/';
const panel = 'http://127.0.0.1:2';
const site = 'https://www.saltmere.example';
const allowed = { own, panel, site, nonce: 'n' };

describe('A Content-Security-Policy in the preview', () => {
  const cases: [what: string, policy: string, relaxed: string][] = [
    ['lets our parts in beside none', "script-src 'none'", `script-src ${own}`],
    ['lets the live site in where its pages name themselves', "img-src 'self'", `img-src 'self' ${site} ${own}`],
    [
      'names each kind that a general directive stands for',
      "default-src 'self'",
      `default-src 'self' ${site}; ${['script', 'style', 'img', 'font'].map((kind) => `${kind}-src 'self' ${site} ${own}`).join('; ')}; frame-src 'self' ${site} ${panel}`,
    ],
    [
      'keeps a general directive as it is',
      "default-src 'none'; script-src 'unsafe-inline'",
      `default-src 'none'; script-src 'unsafe-inline' ${own}; ${['style', 'img', 'font'].map((kind) => `${kind}-src ${own}`).join('; ')}; frame-src ${panel}`,
    ],
    [
      'adds a nonce where nothing else is trusted',
      "script-src 'nonce-a' 'strict-dynamic'",
      `script-src 'nonce-a' 'strict-dynamic' ${own} 'nonce-n'`,
    ],
    [
      'adds no nonce that would take inline scripts out',
      "script-src 'unsafe-inline'",
      `script-src 'unsafe-inline' ${own}`,
    ],
    [
      'lets the panel be a frame',
      'child-src https://map.example',
      `child-src https://map.example; frame-src https://map.example ${panel}`,
    ],
    [
      'adds to the nearest directive',
      "style-src 'self'; style-src-elem x.example",
      `style-src 'self' ${site}; style-src-elem x.example ${own}`,
    ],
    [
      'reports nothing, upgrades nothing',
      'upgrade-insecure-requests; report-uri /r; sandbox; object-src x.example',
      'object-src x.example',
    ],
    ['may be several', "script-src 'none', img-src 'none'", `script-src ${own}, img-src ${own}`],
    ['may be empty', ' , ', ''],
  ];
  test.each(cases)('%s', (_what, policy, expected) => {
    expect(relaxed(policy, allowed)).toBe(expected);
  });
});

describe('A page in the preview', () => {
  const form = { place: 'head-end' as const, hasScript: true, version: 7, allowed };
  const page = (head: string, body = '') => `<!doctype html><html><head>${head}</head><body>${body}</body></html>`;
  const added =
    /<link rel="stylesheet" data-local-needle="" href="\/\.local-needle\/local-needle\.css\?7" \/><script src="\/\.local-needle\/local-needle\.js\?7" nonce="n"><\/script><script src="\/\.local-needle\/page\.js" nonce="n" data-panel="http:\/\/127\.0\.0\.1:2" data-site="https:\/\/www\.saltmere\.example" defer=""><\/script>/;

  const kept: [what: string, head: string, body: string, headAfter: string][] = [
    [
      'without an earlier build that was pasted',
      '<style>/*! local-needle begin: live */ .x{}</style><i-d>',
      '',
      '<i-d>',
    ],
    ['without an earlier build that is linked', '<link rel="stylesheet" data-local-needle href="/n.css">', '', ''],
    [
      'with its own scripts from here',
      `<script src="${site}/a.js?b=1&amp;c=2"></script>`,
      '',
      '<script src="/a.js?b=1&amp;c=2"></script>',
    ],
    [
      'with its own styles from here',
      '<link rel=stylesheet href=//www.saltmere.example/a.css>',
      '',
      '<link rel=stylesheet href="/a.css">',
    ],
    [
      'with those of others from there',
      '<script src="https://cdn.example/a.js"></script>',
      '',
      '<script src="https://cdn.example/a.js"></script>',
    ],
    ['with its base here', `<base href="${site}/routes/">`, '', '<base href="/routes/">'],
  ];
  test.each(kept)('is shown %s', (_what, head, body, after) => {
    const shown = injected(page(head, body), form);
    expect(shown).toMatch(added);
    expect(shown.replace(added, '')).toBe(page(after, body));
  });

  test('keeps what rules may select by', () => {
    const body = `<a href="${site}/routes"><img src="${site}/l.svg"></a><form action="${site}/pay"></form>`;
    expect(injected(page('', body), form)).toContain(body);
  });

  test('has what ships at the end of its body where a build goes there, and no script that nobody needs', () => {
    const shown = injected(page('<title>x</title>', '<p>a'), { ...form, place: 'body-end', hasScript: false });
    expect(shown).toMatch(/<p>a<link rel="stylesheet"[^>]*><\/body>/);
    expect(shown).toMatch(/<\/title><script src="\/\.local-needle\/page\.js"/);
    expect(shown).not.toContain('local-needle.js');
  });

  test('has its own policy relaxed', () => {
    const html = page(`<meta http-equiv="content-security-policy" content="img-src 'none'">`);
    expect(injected(html, form)).toContain(`content="img-src ${own}"`);
  });

  test.each(['', '<p>', '<html', '<head><style>', '<!-- ', '</body></html><p>', '\ufeff<body>'])(
    'may be broken: %j',
    (html) => {
      const shown = injected(html, { ...form, hasScript: false });
      expect(shown.replace(/<link rel="stylesheet"[^>]*>|<script src="\/\.local-needle[^>]*><\/script>/g, '')).toBe(
        html,
      );
    },
  );
});

describe('What comes with a request', () => {
  const rule = {
    doing: 'hide',
    selector: '.x',
    content: '',
    pages: 'all',
    name: 'a',
    note: '',
    important: false,
    addedByScript: false,
    state: null,
    visitor: null,
  };
  const cases: [shape: new () => object, body: unknown, fault: RegExp | null][] = [
    [SwitchRequest, { rule: 'a', on: true }, null],
    [SwitchRequest, { rule: null, on: false }, null],
    [SwitchRequest, { rule: 7, on: true }, /rule/],
    [SwitchRequest, { rule: 'a' }, /on/],
    [SwitchRequest, { rule: 'a', on: true, more: 1 }, /more/],
    [SwitchRequest, null, /object/],
    [PickRequest, { address: '/', html: 'x'.repeat(8 * 1024 * 1024 + 1) }, /html/],
    [RuleRequest, rule, null],
    [RuleRequest, { ...rule, name: '../x' }, /name/],
    [RuleRequest, { ...rule, doing: 'script' }, /doing/],
    [DraftRequest, { rule }, null],
    [DraftRequest, { rule: { ...rule, more: 1 } }, /more/],
    [DraftRequest, { edit: { name: 'a', text: '@needle a {}' } }, null],
    [DraftRequest, { edit: { name: 'a', text: null } }, /text/],
    [ChangeRequest, { name: 'a', what: 'rename' }, /what/],
    [FixesRequest, { rule: 'a', page: 'x'.repeat(5000) }, /page/],
    [ApplyRequest, { number: -1 }, /number/],
    [ApplyRequest, { number: 0 }, null],
    [CountRequest, { address: '/', selector: 7 }, /selector/],
  ];
  test.each(cases)('%p is taken as it must be', (shape, body, fault) => {
    const asked = requestOf(shape, body);
    if (fault) expect(asked).toMatch(fault);
    else expect(asked).toBeInstanceOf(shape);
  });
});
