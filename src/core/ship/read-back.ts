import { parse, type CallExpression, type Expression, type Node, type ObjectExpression } from 'acorn';
import { parseHtml } from '../page/parse-html.js';
import { elementsIn } from '../page/document.js';
import { textOf } from '../page/query.js';
import { anyBegin } from '../page/build-comments.js';
import { compileSheet, type Sheet } from '../css/cascade/sheet.js';
import type { RunTimeAddress } from '../target/run-time-addresses.js';

/** A build as read back from its files, the way a browser would. */
export interface ReadBuild {
  sheet: Sheet;
  addresses: RunTimeAddress[];
  /** See NeedleWork.queryKeys. */
  queryKeys: string[];
  tasks: ReadTask[];
}

/** Where a task of local-needle.js acts. */
export interface ReadTask {
  rule: string;
  scope: string;
  selector: string;
  current: boolean;
  isSwap: boolean;
}

/** Reads a build's stylesheet and script. Throws Error if the script was not written by a build. */
export function readBuild(css: string, js: string | null): ReadBuild {
  const { marks = [], tasks = [], queryKeys = [] } = js === null ? {} : workOf(js);
  return {
    sheet: compileSheet(css),
    queryKeys: queryKeys as string[],
    addresses: (marks as Partial<RunTimeAddress>[]).map(
      ({ name = '', path = null, pattern = null, pages = [], queries = [] }): RunTimeAddress => ({
        name,
        path,
        pattern,
        pages,
        queries,
      }),
    ),
    tasks: (tasks as Record<string, unknown>[]).map((task) => ({
      rule: String(task['rule']),
      scope: String(task['scope']),
      selector: String(task['selector']),
      current: task['current'] === true,
      isSwap: ['image', 'alt', 'text', 'html'].some((key) => task[key] !== undefined),
    })),
  };
}

/** Reads the build in a page or snippet, found by its marks. */
export function readEmbedded(html: string): ReadBuild {
  const found = new Map<string, string>();
  for (const element of elementsIn(parseHtml(html), 'style', 'script')) {
    const text = textOf(element);
    if (text.trimStart().startsWith(anyBegin)) found.set(element.tagName, text);
  }
  return readBuild(found.get('style') ?? '', found.get('script') ?? null);
}

/** The object that local-needle.js hands to its runtime; its scripts are left out. */
function workOf(js: string): Record<string, unknown[]> {
  const [statement] = parse(js, { ecmaVersion: 'latest', sourceType: 'script' }).body;
  let expression: Node | undefined = statement?.type === 'ExpressionStatement' ? statement.expression : undefined;
  while (expression?.type === 'UnaryExpression') expression = (expression as Node & { argument: Node }).argument;
  const work = expression?.type === 'CallExpression' ? (expression as CallExpression).arguments[0] : undefined;
  if (work?.type !== 'ObjectExpression') throw new Error('local-needle.js is incomplete');
  return valueOf(work) as Record<string, unknown[]>;
}

function valueOf(node: Expression): unknown {
  switch (node.type) {
    case 'Literal':
      return node.value;
    case 'TemplateLiteral':
      return node.quasis[0]?.value.cooked;
    case 'UnaryExpression':
      return node.operator === '!' ? !valueOf(node.argument) : undefined;
    case 'ArrayExpression':
      return node.elements.map((each) => (each && each.type !== 'SpreadElement' ? valueOf(each) : undefined));
    case 'ObjectExpression':
      return objectOf(node);
    default:
      return undefined;
  }
}

function objectOf({ properties }: ObjectExpression): Record<string, unknown> {
  const result: Record<string, unknown> = {};
  for (const each of properties) {
    if (each.type !== 'Property') continue;
    const { key } = each;
    if (key.type === 'Identifier') result[key.name] = valueOf(each.value as Expression);
    else if (key.type === 'Literal') result[String(key.value)] = valueOf(each.value as Expression);
  }
  return result;
}
