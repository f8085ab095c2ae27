import type { CDPSession, Page as BrowserPage } from 'playwright-core';
import type { PageState } from '../core/page/state.js';

/** Puts a page into a state: classes by script, pseudo-classes as the developer tools do. */
export async function applyState(tab: BrowserPage, { addClass, removeClass, pseudoClass }: PageState): Promise<void> {
  await tab.evaluate(
    ({ add, remove }) => {
      for (const [selector, name] of remove)
        document.querySelectorAll(selector).forEach((each) => each.classList.remove(name));
      for (const [selector, name] of add)
        document.querySelectorAll(selector).forEach((each) => each.classList.add(name));
    },
    { add: addClass, remove: removeClass },
  );
  if (pseudoClass.length === 0) return;
  const tools = await tab.context().newCDPSession(tab);
  await tools.send('DOM.enable');
  await tools.send('CSS.enable');
  const { root } = await tools.send('DOM.getDocument', { depth: -1 });
  const forced = new Map<number, Set<string>>();
  const force = (id: number, name: string) => forced.set(id, (forced.get(id) ?? new Set()).add(name));
  for (const [selector, written] of pseudoClass) {
    const name = written.replace(/^:/, '').toLowerCase();
    const upwards = name === 'hover' || name === 'active' ? name : name.startsWith('focus') ? 'focus-within' : null;
    const { nodeIds } = await tools.send('DOM.querySelectorAll', { nodeId: root.nodeId, selector });
    for (const id of nodeIds) {
      force(id, name);
      if (name === 'focus-visible') force(id, 'focus');
      if (upwards) for (const above of await lineage(tools, id)) force(above, upwards);
    }
  }
  for (const [nodeId, names] of forced)
    await tools.send('CSS.forcePseudoState', { nodeId, forcedPseudoClasses: [...names] });
}

/** The node IDs of the elements above one. */
async function lineage(tools: CDPSession, nodeId: number): Promise<number[]> {
  const { object } = await tools.send('DOM.resolveNode', { nodeId });
  const above: number[] = [];
  let current = object.objectId;
  while (current) {
    const { result } = await tools.send('Runtime.callFunctionOn', {
      objectId: current,
      functionDeclaration: 'function () { return this.parentElement; }',
    });
    if (!result.objectId) break;
    const { nodeId: id } = await tools.send('DOM.requestNode', { objectId: result.objectId });
    above.push(id);
    current = result.objectId;
  }
  return above;
}
