// What the keyboard does on every page: menus, tabs, values; and whether keys of one character are
// shortcuts (WCAG 2.2, success criterion 2.1.4: they can be switched off).

const MENUS = "details.drop-down[open], details.view-menu[open]";
const html = document.documentElement;

/** Whether a key is one of the shortcuts that somebody has switched off. */
export function silenced({ key, ctrlKey, metaKey, altKey }) {
  return html.dataset.letters === "off" && key.length === 1 && key !== " " && !ctrlKey && !metaKey && !altKey;
}

/** Whether a key belongs to the field, tab or dialog that has the focus. */
export function taken({ target, key, ctrlKey, metaKey }) {
  // A dialog that is closed keeps the focus until the page is next drawn: its keys are the desk's.
  const field = target.closest("dialog:not([open])") ? null : target.closest('input, select, textarea, dialog, [role="tab"]');
  // A list has the keys of letters, but nothing to undo: with Ctrl they are the desk's.
  if (field?.matches("select") && (ctrlKey || metaKey)) return false;
  if (!field?.matches('input[type="range"], input[type="checkbox"], input[type="radio"], [role="tab"]')) return Boolean(field);
  return key === " " || key.startsWith("Arrow") || key === "Home" || key === "End";
}

function tellLetters(on) {
  localStorage.setItem("vistaline-letters", on ? "on" : "off");
  html.dataset.letters = on ? "on" : "off";
}
tellLetters(localStorage.getItem("vistaline-letters") !== "off");

const letters = /** @type {HTMLInputElement | null} */ (document.getElementById("letters"));
if (letters) {
  letters.checked = html.dataset.letters === "on";
  letters.addEventListener("change", () => tellLetters(letters.checked));
}

/** Close the menus that are open, but for one; tells whether there were any. */
function closeMenus(but = null) {
  const open = [...document.querySelectorAll(MENUS)].filter((menu) => !menu.contains(but));
  for (const menu of open) /** @type {HTMLDetailsElement} */ (menu).open = false;
  return open;
}

/** From tab to tab by the arrow keys, as WAI-ARIA's pattern of tabs has it. */
function turnTabs(event, tab) {
  const tabs = [...tab.closest('[role="tablist"]').querySelectorAll('[role="tab"]')];
  const at = tabs.indexOf(tab);
  const to = { ArrowLeft: at - 1, ArrowRight: at + 1, Home: 0, End: tabs.length - 1 }[event.key];
  if (to === undefined) return;
  event.preventDefault();
  const next = tabs[(to + tabs.length) % tabs.length];
  next.focus();
  next.click();
}

document.addEventListener("keydown", (event) => {
  const target = /** @type {any} */ (event.target);
  const tab = target.closest?.('[role="tab"]');
  if (tab) turnTabs(event, tab);
  if (event.key === "Escape") {
    const [menu] = closeMenus();
    if (!menu) return;
    event.preventDefault();
    menu.querySelector("summary").focus();
  }
  // A value is given: the keys are the desk's again. Tab goes on from where it was.
  if (event.key === "Enter" && target.matches?.("input.num, input[type=color]")) target.blur();
});

document.addEventListener("click", (event) => {
  const target = /** @type {any} */ (event.target);
  closeMenus(target);
  // Pressed by the pointer, a button does not keep the space bar for itself.
  if (event.detail && target.closest(".desk, .top")) target.closest("button, summary")?.blur();
});
