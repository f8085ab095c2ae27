import { parseCondition } from '../../src/core/target/condition.js';
import { conditionPages } from '../../src/core/target/pages.js';
import { makePage, makeSite } from '../../src/core/page/page.js';

const forms = [{ in: 'body-class' as const, like: 'page-{id}' }];
const page = (path: string, attributes: Record<string, string>) =>
  makePage(path, path, path, { title: '', body: new Map(Object.entries(attributes)) }, forms);
const site = makeSite(
  'live',
  [
    page('/', { id: 'front', class: 'page-1 home' }),
    page('/winter', { class: 'page-0080 season-winter' }),
    page('/winter/lights', { class: 'page-81 season-winter wide' }),
    page('/?p=12', {}),
  ],
  forms,
);
const picked = (text: string) => {
  const { condition, faults } = parseCondition(text);
  expect(faults).toEqual([]);
  return [...conditionPages(condition, site)].map((each) => each.path);
};

describe('A condition', () => {
  test.each([
    ['path("/winter")', ['/winter']],
    ["path('/winter/')", ['/winter']],
    ['path(/winter)', ['/winter']],
    ['path("https://www.saltmere.example/winter/index.html")', ['/winter']],
    ['path("/winter/*")', ['/winter/lights']],
    ['path("/winter{/*}?")', ['/winter', '/winter/lights']],
    ['page-id(1)', ['/']],
    ['page-id(0080)', ['/winter']],
    ['page-id(80)', []],
    ['body-id(front), page-id("81")', ['/', '/winter/lights']],
    ['body-class(season-winter)', ['/winter', '/winter/lights']],
    ['body-class(season-winter wide)', ['/winter/lights']],
    ['body-class(season-winter) path("/winter")', ['/winter']],
    ['path("/") query("p=12")', ['/?p=12']],
    ['query("p=12")', ['/?p=12']],
    ['all site(staging), /* c */ body-id( front )', ['/']],
    ['all', ['/', '/?p=12', '/winter', '/winter/lights']],
  ])('%s picks %j', (text, paths) => {
    expect(picked(text)).toEqual(paths);
  });

  test.each([
    ['paths("/x")', /"paths\(…\)" is not a valid condition/, /Did you mean path\?/, false],
    ['"/x"', /"\/x" is not a valid condition/, /path\("\/x"\)/, false],
    ['.home', /"\.home" is not a valid condition/, /body-class\(home\)/, false],
    ['path("winter")', /does not begin with a slash/, /"\/winter"/, true],
    ['path("/a?p=1")', /query/, /path\("\/a"\) query\("p=1"\)/, true],
    ['path("/a(")', /not a valid path pattern/, /URL Pattern/, true],
    ['page-id()', /empty/, /parentheses/, false],
    ['path("/a"),', /comma/, /^$/, false],
    ['', /empty/, /^$/, false],
  ])('%s is refused with a reason and a remedy', (text, message, hint, badPath) => {
    const { faults } = parseCondition(text);
    expect(faults).toHaveLength(1);
    expect(faults[0]?.message).toMatch(message);
    expect(faults[0]?.hint ?? '').toMatch(hint);
    expect(faults[0]?.code).toBe(badPath ? 'invalid-path' : undefined);
  });
});
