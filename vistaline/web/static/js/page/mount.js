// Views live on elements with data-view; they are made when the element appears and disposed
// when it has gone, or has become another, whoever did that.
const mounted = new Map(); // element -> { name, view }

export function mountAll(root, kinds) {
  const found = [...root.querySelectorAll("[data-view]")];
  if (root.matches?.("[data-view]")) found.unshift(root);
  for (const element of found) {
    const name = element.dataset.view;
    if (mounted.has(element)) mounted.get(element).view.refresh?.();
    else if (kinds[name]) mounted.set(element, { name, view: new kinds[name](element) });
  }
}

export function disposeGone() {
  for (const [element, { name, view }] of mounted) {
    // A panel that is brought up to date may make one element out of another.
    if (element.isConnected && element.dataset.view === name) continue;
    view.dispose?.();
    mounted.delete(element);
  }
}

export const viewOf = (element) => mounted.get(element)?.view;
