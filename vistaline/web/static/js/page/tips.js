// Lines of help where one gets lost; closed, they stay closed in this browser.
const NAME = "vistaline-tips";
const closed = () => new Set(JSON.parse(localStorage.getItem(NAME) ?? "[]"));

export function showTips() {
  const gone = closed();
  for (const tip of document.querySelectorAll("[data-tip]")) tip.toggleAttribute("hidden", gone.has(/** @type {HTMLElement} */ (tip).dataset.tip));
}

document.addEventListener("click", ({ target }) => {
  const button = /** @type {any} */ (target).closest("[data-tip-close]");
  if (!button) return;
  localStorage.setItem(NAME, JSON.stringify([...closed(), button.closest("[data-tip]").dataset.tip]));
  showTips();
});
document.addEventListener("htmx:after:swap", showTips);
showTips();
