import { demoPages } from '../../demo/pages.js';
import { renderPage } from '../../demo/site.js';
import type { Term } from '../../src/core/target/condition.js';
import { indexOf } from '../../src/core/target/site-index.js';
import { termKind } from '../../src/core/target/terms/index.js';
import { nearMisses } from '../../src/core/fix/near-selector.js';
import { readDocument } from '../../src/core/page/document.js';
import { compileMatcher } from '../../src/core/page/elements.js';
import { readOpening } from '../../src/core/page/opening.js';
import { makePage, makeSite } from '../../src/core/page/page.js';
import { parseCondition } from '../../src/core/target/condition.js';
import { conditionPages } from '../../src/core/target/pages.js';

const html = new Map(demoPages.map((page) => [page.path, renderPage(page, 'live')]));
const document = (path: string) => readDocument(html.get(path) ?? '');

/** Page, the selector that was meant, the mistakes made of it. */
const table: [path: string, meant: string, mistakes: string[]][] = [
  ['/', '#sign-up', ['.sign-upp', '##sign-up', '#sign-upp', '#Sign-Up', '#signup', '.#sign-up', '#sing-up']],
  [
    '/',
    '.masthead',
    [
      '#masthead',
      '..masthead',
      'masthead',
      '.mastheat',
      '.Masthead',
      '.mast-head',
      '. masthead',
      '#.masthead',
      '.masthaed',
      '.masthead,',
      'header.mastheadd',
    ],
  ],
  [
    '/',
    '.masthead .logo img',
    [
      '.masthead.logo img',
      '#masthead .logo img',
      '.masthead .logo image',
      '.masthead .lgoo img',
      '.masthead > img',
      '.masthead logo img',
      '.masthead .logo > .img',
      '.masthaed .lgoo img',
    ],
  ],
  [
    '/',
    '.band.legal',
    ['.band .legal', '#band.legal', '.band.leagl', '.bandlegal', 'section.band.legal', 'band.legal'],
  ],
  [
    '/',
    '.footer .band:nth-of-type(3)',
    [
      '.footer .band:nth-of-type(4)',
      '.footer .band:nth-child(5)',
      '.foter .band:nth-of-type(3)',
      '.footer.band:nth-of-type(3)',
      '#footer .band:nth-of-type(3)',
    ],
  ],
  [
    '/',
    '.menu .camera',
    [
      '.menu.camera',
      '.menu > .camera',
      '.menu .cammera',
      'menu .camera',
      '.menu #camera',
      '.page-1 .menu .camra',
      '.menu .Camera',
    ],
  ],
  ['/', '.hero .slide', ['.hero.slide', '.hero .slides', '.hero slide', '.Hero .Slide', '.hro .slide', '#hero .slide']],
  ['/', '.hero .slide:nth-of-type(3)', ['.hero .slide:nth-of-type(7)', '.hero .silde:nth-of-type(3)']],
  [
    '/tickets/pay',
    '.promo-field',
    [
      '.promo-feild',
      '.promofield',
      '.promo_field',
      '#promo-field',
      '.prom-field',
      'promo-field',
      'form .promo-filed',
      'section.promo-field',
      '.section-tickets .promo-fild',
    ],
  ],
  [
    '/tickets/pay',
    'form.pay .button',
    [
      'form .pay .button',
      'form.pay.button',
      '.form.pay .button',
      'form#pay .button',
      'from.pay .button',
      'div.pay .button',
      'form.pay .buton',
      'form.pay .section-tickets .button',
      'form.pay > .buttn',
    ],
  ],
  [
    '/tickets/pay',
    '.steps .current',
    ['.steps.current', '.step .current', '.steps .curent', '#steps .current', '.steps > ul .current', 'steps .current'],
  ],
  [
    '/journal',
    '.cards .card h3',
    ['.cards .card h2', '.card .cards h3', '.cards.card h3', '.cards .crad h3', '.content .page-70 .card h3'],
  ],
  ['/winter', '.notice', ['#notice', '.notise', 'notice', '.Notice', '.content.notice', '.content > #notice']],
  [
    '/timetables/summer',
    'table.times',
    ['.table.times', 'table .times', 'table.time', 'tabel.times', 'table#times', 'div.times', 'times'],
  ],
  [
    '/timetables/summer',
    '.times tbody tr:nth-of-type(3)',
    ['.times tbody tr:nth-of-type(9)', '.times > tr:nth-of-type(3)', '.tims tbody tr:nth-of-type(3)'],
  ],
];

describe('A mistyped selector', () => {
  const rows = table.flatMap(([path, meant, mistakes]) => mistakes.map((mistake) => ({ path, meant, mistake })));
  const judged = rows.map((row) => {
    const page = document(row.path);
    const wanted = compileMatcher(row.meant)(page);
    const [first] = nearMisses(row.mistake, page);
    const got = first ? compileMatcher(first.selector)(page) : [];
    return {
      ...row,
      first: first?.selector ?? 'nothing',
      right:
        wanted.length > 0 && wanted.length === got.length && wanted.every((element, index) => element === got[index]),
    };
  });

  test('finds its fix first in nine of ten', () => {
    const right = judged.filter((row) => row.right).length;
    process.stdout.write(`Near misses: the right fix is first for ${right} of ${judged.length} mistakes.\n`);
    expect(judged.length).toBeGreaterThanOrEqual(60);
    const wrong = judged.filter((row) => !row.right).map(({ mistake, first }) => `${mistake} gave ${first}`);
    expect({ right: right / judged.length >= 0.9, wrong }).toEqual({ right: true, wrong });
  });

  test('is told what was wrong with it', () => {
    const why = (path: string, selector: string) => nearMisses(selector, document(path))[0]?.why;
    expect(why('/', '#masthead')).toBe('it is a class, not an ID');
    expect(why('/', '##sign-up')).toBe('an extra #');
    expect(why('/', '.masthead.logo img')).toBe('missing space');
    expect(why('/', '.band .legal')).toBe('extra space');
    expect(why('/', '.hero .slide:nth-of-type(7)')).toBe('there are only 3');
    expect(why('/tickets/pay', 'form.pay .section-tickets .button')).toBe('.section-tickets is on body, not below it');
  });

  test('of nothing like it on the page has no mend, and hostile ones end', () => {
    expect(nearMisses('.no-such-thing-at-all', document('/'))).toEqual([]);
    expect(nearMisses('.a'.repeat(300), document('/'))).toEqual([]);
    expect(nearMisses(':is(((', document('/'))).toEqual([]);
  });
});

describe('A condition that picks nothing', () => {
  const forms = [{ in: 'body-class' as const, like: 'page-{id}' }];
  const site = makeSite(
    'live',
    demoPages.map((page) => makePage(page.path, page.path, page.path, readOpening(html.get(page.path) ?? ''), forms)),
    forms,
  );
  const nearTerm = (term: Term) => termKind(term).near(term, site, indexOf(site));
  test.each([
    ['path("/tickets/pya")', '/tickets/pay'],
    ['path("/Tickets/Pay")', '/tickets/pay'],
    ['path("/tickets-pay")', '/tickets/pay'],
    ['path("/ticket/pay")', '/tickets/pay'],
    ['path("/tickets/pay.html")', '/tickets/pay'],
    ['path("/shop/privacy")', '/legal/privacy'],
    ['path("/winter/lights/*")', '/winter/lights'],
    ['page-id(page-46)', '/tickets/pay'],
    ['page-id(front)', '/'],
    ['body-id(frnt)', '/'],
    ['body-id(season-winter)', '/journal/storm-watch'],
    ['body-class(season-wintr)', '/journal/storm-watch'],
    ['body-class(section-ticket is-step)', '/tickets/choose'],
  ])('%s was meant for %s', (text, path) => {
    const [term] = parseCondition(text).condition.alternatives[0] ?? [];
    const near = term ? nearTerm(term) : null;
    expect(near?.page.path).toBe(path);
    const { condition, faults } = parseCondition(near?.text ?? '');
    expect(faults).toEqual([]);
    expect(near && conditionPages(condition, site).has(near.page)).toBe(true);
  });
  test('like none has no near one', () => {
    const [term] = parseCondition('path("/completely/elsewhere")').condition.alternatives[0] ?? [];
    expect(term && nearTerm(term)).toBeNull();
  });
});
