import type { AtRule, Rule as StyleRule } from 'postcss';
import { suggestion } from '../core/nearest.js';
import type { Expectation } from '../core/rule/keep-visible-and-expect.js';
import { ExpectDescriptors, KeepVisibleDescriptors } from './configuration.js';
import { unquote, valueOffset } from '../core/action/reading.js';
import { rawValue, readDescriptors, type Reader } from './reader.js';

/** Reads `@keep-visible SELECTORS { note: "…"; }` or `@keep-visible SELECTORS;`. */
export function readKeepVisible(node: AtRule, reader: Reader): void {
  const params = node.raws.params?.raw ?? node.params;
  const offset = '@keep-visible'.length + (node.raws.afterName ?? '').length;
  let note: string | null = null;
  if (node.nodes) {
    const { values } = reader.descriptors(node, KeepVisibleDescriptors);
    if (values.note !== undefined) note = unquote(values.note);
  }
  for (const selector of reader.selectors(node, params, offset) ?? []) {
    reader.result.keptVisible.push({
      selector: selector.text,
      selectors: [selector],
      note,
      at: reader.place(node, offset + selector.offset),
    });
  }
}

/** Reads `@expect NAME { … }`: conditions, viewport, state and visitor, `@shown`, `@hidden` and style rules. */
export function readExpectation(node: AtRule, reader: Reader): void {
  const name = node.params.trim();
  if (!node.nodes) return reader.problem(node, 0, '@expect has no block', 'Write @expect NAME { … }.');
  if (!/^[A-Za-z_][\w-]*$/.test(name)) {
    const message = name === '' ? '@expect has no name' : `"${name}" is not a valid name for an expectation`;
    return reader.problem(
      node,
      '@expect '.length,
      message,
      'A name is letters, digits and hyphens, such as @expect plain-bar { … }.',
    );
  }
  const { values, nodes } = readDescriptors(node, ExpectDescriptors, reader);
  const condition = (key: string) => {
    const declaration = nodes.get(key);
    return declaration ? reader.condition(declaration, rawValue(declaration), valueOffset(declaration)) : null;
  };
  const expectation: Expectation = {
    name,
    note: values.note === undefined ? null : unquote(values.note),
    at: reader.place(node, 0),
    pages: condition('pages'),
    except: condition('except'),
    state: values.state ?? null,
    visitor: values.visitor ?? null,
    viewport: values.viewport ?? null,
    wants: [],
  };
  for (const child of node.nodes) {
    if (child.type === 'rule') readLook(child, expectation, reader);
    if (child.type === 'atrule') readDisplay(child, expectation, reader);
  }
  if (!node.nodes.some(({ type }) => type === 'rule' || type === 'atrule'))
    reader.problem(node, 0, `"${name}" expects nothing`, 'Add @shown SELECTOR; @hidden SELECTOR; or a style rule.');
  reader.result.expectations.push(expectation);
}

function readDisplay(node: AtRule, expectation: Expectation, reader: Reader): void {
  const kind = node.name;
  if (kind !== 'shown' && kind !== 'hidden')
    return reader.problem(
      node,
      0,
      `@${kind} is unknown in @expect`,
      suggestion(kind, ['shown', 'hidden']).replace('mean ', 'mean @'),
    );
  if (node.nodes) return reader.problem(node, 0, `@${kind} takes no block`, `End it with a semicolon: @${kind} …;`);
  const offset = 1 + kind.length + (node.raws.afterName ?? '').length;
  for (const selector of reader.selectors(node, node.raws.params?.raw ?? node.params, offset) ?? []) {
    const at = reader.place(node, offset + selector.offset);
    expectation.wants.push({ kind, selector: selector.text, selectors: [selector], at });
  }
}

function readLook(node: StyleRule, expectation: Expectation, reader: Reader): void {
  const selectors = reader.selectors(node, node.raws.selector?.raw ?? node.selector, 0);
  for (const child of node.nodes) {
    if (child.type === 'comment') continue;
    if (child.type !== 'decl') {
      reader.problem(
        child,
        0,
        'A style rule in @expect takes declarations only',
        'Write another style rule beside it.',
      );
      continue;
    }
    if (reader.isTaken(child))
      for (const selector of selectors ?? [])
        expectation.wants.push({
          kind: 'looks',
          selector: selector.text,
          selectors: [selector],
          property: child.prop.startsWith('--') ? child.prop : child.prop.toLowerCase(),
          value: child.value,
          at: reader.place(child, 0),
        });
  }
}
