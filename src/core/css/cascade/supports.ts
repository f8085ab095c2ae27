import { generate, parse, type CssNode } from 'css-tree';
import { declarationFault } from '../declaration.js';
import { isSiteSelector } from '../selector.js';
import { evaluateCondition, type Truth } from './media.js';

/** Whether a `@supports` condition holds (CSS Conditional 3, section 6) in Chromium. */
export function supportsHolds(condition: string): boolean {
  let tree: CssNode;
  try {
    tree = parse(`@supports ${condition} {}`, { context: 'atrule' });
  } catch {
    return false;
  }
  const prelude = tree.type === 'Atrule' ? tree.prelude : null;
  const whole = prelude?.type === 'AtrulePrelude' ? prelude.children.first : null;
  return whole?.type === 'Condition' && evaluateCondition(whole.children, supported) === true;
}

function supported(node: CssNode): Truth {
  if (node.type === 'SupportsDeclaration') {
    const { declaration } = node;
    if (declaration.property.startsWith('--')) return true;
    return declarationFault(declaration.property, generate(declaration.value)) === null;
  }
  if (node.type === 'FeatureFunction' && node.feature.toLowerCase() === 'selector')
    return isSiteSelector(generate(node.value));
  return null;
}
