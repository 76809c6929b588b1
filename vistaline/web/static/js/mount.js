// Views live on elements with data-view; they are made when the element appears and disposed
// when it has gone, whoever put it there.
const mounted = new Map();

export function mountAll(root, kinds) {
  const found = [...root.querySelectorAll("[data-view]")];
  if (root.matches?.("[data-view]")) found.unshift(root);
  for (const element of found) {
    const kind = kinds[element.dataset.view];
    if (kind && mounted.has(element)) mounted.get(element).refresh?.();
    else if (kind) mounted.set(element, new kind(element));
  }
}

export function disposeGone() {
  for (const [element, view] of mounted) {
    if (element.isConnected) continue;
    view.dispose?.();
    mounted.delete(element);
  }
}

export const viewOf = (element) => mounted.get(element);
