import { parse, type Comment, type Expression, type Node, type Program, type Statement } from 'acorn';
import { pathCondition } from '../target/path-condition.js';
import { handlesOf } from '../page/handles.js';
import { pagesWith } from '../target/site-index.js';
import { handleCss } from '../page/page-id.js';
import { normalisePath } from '../page/path.js';
import type { Site } from '../page/page.js';

/** A part of a script that is for some pages only. */
export interface ConvertedScript {
  /** Alternatives, as a rule writes them. */
  conditions: string[];
  except: string[];
  note: string | null;
  text: string;
  /** Where it began. */
  line: number;
}

/** A script split into parts that run only if a condition on the page is true, and the rest. */
export interface TakenScript {
  converted: ConvertedScript[];
  /** Null where nothing is left. */
  leftover: string | null;
  /** Why a guarded part was left where it is. */
  reasons: { line: number; reason: string }[];
}

/** The pages that a guard lets through. */
interface Guard {
  /** Alternatives of terms that must all hold. */
  alternatives: string[][];
  except: string[];
}

/**
 * Splits off the parts of a script inside an `if` on path, body class or body ID. Throws SyntaxError if it is no
 * script.
 */
export function takeScriptApart(text: string, site: Site): TakenScript {
  const comments: Comment[] = [];
  const program = parse(text, { ecmaVersion: 'latest', sourceType: 'script', locations: true, onComment: comments });
  const { statements, declared } = statementsOf(program);
  const converted: ConvertedScript[] = [];
  const reasons: TakenScript['reasons'] = [];
  const cuts: [number, number][] = [];
  for (const statement of statements) {
    if (statement.type !== 'IfStatement') continue;
    const guard = guardOf(statement.test, site);
    if (!guard) continue;
    const line = statement.loc?.start.line ?? 1;
    const used = namesIn(statement.consequent);
    const shared = [...declared].filter((name) => used.has(name));
    const reason = statement.alternate
      ? 'it has an else'
      : shared.length > 0
        ? `it uses ${shared.slice(0, 3).join(', ')}, which is declared outside of it`
        : null;
    if (reason) {
      reasons.push({ line, reason });
      continue;
    }
    const { consequent } = statement;
    const inner =
      consequent.type === 'BlockStatement'
        ? text.slice(consequent.start + 1, consequent.end - 1)
        : text.slice(consequent.start, consequent.end);
    const above = comments
      .filter(
        ({ end }) =>
          end <= statement.start &&
          /^\s*$/.test(text.slice(end, statement.start)) &&
          !/\n\s*\n/.test(text.slice(end, statement.start)),
      )
      .pop();
    converted.push({
      conditions: guard.alternatives.map((terms) => (terms.length > 0 ? terms.join(' ') : 'all')),
      except: guard.except,
      note: above ? above.value.replace(/^[*\s]+|[*\s]+$/g, '').replace(/\s*\n[\s*]*/g, ' ') : null,
      text: dedented(inner),
      line,
    });
    cuts.push([above?.start ?? statement.start, statement.end]);
  }
  let leftover = text;
  for (const [start, end] of cuts.reverse()) leftover = leftover.slice(0, start) + leftover.slice(end);
  const gone = cuts.length > 0 && cuts.length === statements.length;
  return { converted, leftover: gone ? null : leftover, reasons };
}

/** Removes the indentation that all lines share. */
export function dedented(text: string): string {
  const lines = text.replace(/^\s*\n|\s+$/g, '').split('\n');
  const indents = lines.filter((line) => line.trim() !== '').map((line) => /^\s*/.exec(line)?.[0].length ?? 0);
  const least = Math.min(...indents, Infinity);
  return `${lines.map((line) => line.slice(Number.isFinite(least) ? least : 0)).join('\n')}\n`;
}

/** The statements to split and the names they share: those of the script, or of the single function around them. */
function statementsOf(program: Program): { statements: Statement[]; declared: Set<string> } {
  let statements = program.body as Statement[];
  const declared = new Set<string>();
  for (let depth = 0; depth < 3; depth++) {
    const [only] = statements;
    const inner = statements.length === 1 && only ? wrappedBy(only) : null;
    if (!inner) break;
    statements = inner;
  }
  for (const statement of statements) {
    if (statement.type === 'VariableDeclaration')
      statement.declarations.forEach(({ id }) => namesIn(id).forEach((name) => declared.add(name)));
    if ((statement.type === 'FunctionDeclaration' || statement.type === 'ClassDeclaration') && statement.id)
      declared.add(statement.id.name);
  }
  return { statements, declared };
}

/** The statements of `(function () { … })()`, or of what waits for DOMContentLoaded; null for any other statement. */
function wrappedBy(statement: Statement): Statement[] | null {
  if (statement.type !== 'ExpressionStatement' || statement.expression.type !== 'CallExpression') return null;
  const { callee, arguments: given } = statement.expression;
  const isListener =
    callee.type === 'MemberExpression' &&
    nameOf(callee).endsWith('addEventListener') &&
    given[0]?.type === 'Literal' &&
    given[0].value === 'DOMContentLoaded';
  const called = isListener ? given[1] : given.length === 0 ? callee : undefined;
  if (called?.type !== 'FunctionExpression' && called?.type !== 'ArrowFunctionExpression') return null;
  return called.body.type === 'BlockStatement' && called.params.length === 0 ? called.body.body : null;
}

/** Every name that a part of a script mentions; more than it uses, never fewer. */
function namesIn(node: unknown): Set<string> {
  const names = new Set<string>();
  const visit = (each: unknown) => {
    if (Array.isArray(each)) each.forEach(visit);
    else if (typeof each === 'object' && each !== null) {
      const { type, name } = each as { type?: string; name?: string };
      if (type === 'Identifier' && name) names.add(name);
      Object.values(each).forEach(visit);
    }
  };
  visit(node);
  return names;
}

/** `window.location.pathname` as text; empty for anything else than names and dots. */
function nameOf(node: Node): string {
  if (node.type === 'Identifier') return (node as Node & { name: string }).name;
  if (node.type !== 'MemberExpression') return '';
  const { object, property, computed } = node as Node & { object: Node; property: Node; computed: boolean };
  const [left, right] = [nameOf(object), computed ? '' : nameOf(property)];
  return left && right ? `${left}.${right}` : '';
}

const isPathname = (node: Node) => /^((window|document|self)\.)?location\.pathname$/.test(nameOf(node));
const textOf = (node: Node | undefined) => {
  const value = node?.type === 'Literal' ? (node as Node & { value: unknown }).value : undefined;
  return typeof value === 'string' ? value : null;
};

const one = (term: string | null): Guard | null => (term === null ? null : { alternatives: [[term]], except: [] });
const literalPath = (path: string | null) => (path?.startsWith('/') ? pathCondition(normalisePath(path)) : null);
const below = (path: string | null) => (path?.startsWith('/') && path.endsWith('/') ? `path("${path}*")` : null);

/** The pages that a test asks for; null if it asks for anything else. */
function guardOf(test: Expression, site: Site): Guard | null {
  if (test.type === 'LogicalExpression' && test.operator !== '??') {
    const [left, right] = [guardOf(test.left, site), guardOf(test.right, site)];
    if (!left || !right) return null;
    if (test.operator === '||')
      return left.except.length + right.except.length > 0
        ? null
        : { alternatives: [...left.alternatives, ...right.alternatives], except: [] };
    return {
      alternatives: left.alternatives.flatMap((one) => right.alternatives.map((other) => [...one, ...other])),
      except: [...left.except, ...right.except],
    };
  }
  if (test.type === 'UnaryExpression' && test.operator === '!') {
    const inner = guardOf(test.argument, site);
    return inner && inner.except.length === 0
      ? { alternatives: [[]], except: inner.alternatives.map((terms) => terms.join(' ')) }
      : null;
  }
  if (test.type === 'BinaryExpression') return comparison(test.operator, test.left, test.right, site);
  if (test.type === 'CallExpression' && test.callee.type === 'MemberExpression')
    return call(test.callee.object, nameOf(test.callee.property), test.arguments as Expression[], site);
  return null;
}

function comparison(operator: string, left: Node, right: Node, site: Site): Guard | null {
  if (!/^===?$/.test(operator)) return null;
  const [asked, given] = textOf(left) === null ? [left, right] : [right, left];
  if (isPathname(asked)) return one(literalPath(textOf(given)));
  if (nameOf(asked) === 'document.body.id') return one(handleTerm('body-id', textOf(given), site));
  const isStart =
    asked.type === 'CallExpression' && given.type === 'Literal' && (given as Node & { value: unknown }).value === 0;
  if (!isStart) return null;
  const { callee, arguments: args } = asked as Node & { callee: Node & { object: Node }; arguments: Node[] };
  return nameOf(callee).endsWith('.pathname.indexOf') ? one(below(textOf(args[0]))) : null;
}

function call(object: Node, method: string, args: Expression[], site: Site): Guard | null {
  const [first] = args;
  if (!first) return null;
  if (isPathname(object) && method === 'startsWith') return one(below(textOf(first)));
  if (nameOf(object) === 'document.body.classList' && method === 'contains')
    return one(handleTerm('body-class', textOf(first), site));
  if (method === 'includes' && object.type === 'ArrayExpression' && isPathname(first)) {
    const paths = (object as Node & { elements: Node[] }).elements.map((each) => literalPath(textOf(each)));
    return paths.some((each) => each === null) ? null : { alternatives: paths.map((each) => [each ?? '']), except: [] };
  }
  return null;
}

/** A body class or body ID as a rule writes it: the page's ID where it is one. */
function handleTerm(kind: 'body-class' | 'body-id', name: string | null, site: Site): string | null {
  if (name === null || !/^[\w-]+$/.test(name)) return null;
  const css = `body${handleCss({ in: kind }, name)}`;
  const [page] = pagesWith(site, css);
  const handle = page && handlesOf(page).find((each) => each.css === css);
  return handle?.condition ?? `${kind}(${name})`;
}
