const UNANSWERED = "The server gave no answer. Nothing was lost; try again.";

/** Tell a refusal as the server worded it; one that a reload mends has a button for that. */
export function refuse({ error = UNANSWERED, reload = false } = {}) {
  notice(error, "refusal", reload);
}

/**
 * Tell a refusal where it belongs: beside the value that was refused, which goes back to what is
 * kept; or as a notice, if no one value is the reason.
 */
export function refuseIn(form, { error = UNANSWERED, field: name = "", rule = "", reload = false } = {}) {
  const fields = [...(form?.elements ?? [])].filter((each) => each.type !== "hidden" && each.matches("input, select, textarea"));
  const field = fields.find((each) => each.name === name) ?? (fields.length === 1 ? fields[0] : null);
  if (reload || !field || !form.matches("#inspector form, dialog form")) return refuse({ error, reload });
  const label = field.labels?.[0]?.textContent.trim();
  form.parentElement.querySelectorAll(":scope > .refused").forEach((old) => old.remove());
  const said = document.createElement("p");
  said.className = "refused";
  said.setAttribute("role", "alert");
  said.textContent = rule && label ? `${label} ${rule}` : error;
  form.after(said);
  field.addEventListener("input", () => said.remove(), { once: true });
  if (field.type === "checkbox") field.checked = field.defaultChecked;
  else if (field.matches("select")) for (const option of field.options) option.selected = option.defaultSelected;
  else field.value = field.defaultValue;
  field.dispatchEvent(new CustomEvent("refused", { bubbles: true }));
}

const STAYS = 9000; // ms a notice is there, and ms more for each word
const A_WORD = 260;

/**
 * Say how to use what is in the hand, below the viewfinder, for as long as it is; returns what
 * takes the words away.
 *
 * @param {string} message
 * @returns {() => void}
 */
export function hint(message) {
  const [tools, saying] = ["tools", "saying"].map((part) => /** @type {HTMLElement} */ (document.querySelector(`[data-part=${part}]`)));
  const say = (words) => {
    saying.textContent = words;
    saying.hidden = !words;
    tools.hidden = Boolean(words);
  };
  say(message);
  return () => saying.textContent === message && say("");
}

/** Say something in the corner; said again it is counted, and after a while it goes. */
export function notice(message, kind = "refusal", reload = false) {
  const place = document.getElementById("notice");
  const same = [...place.children].find((each) => /** @type {HTMLElement} */ (each).dataset.says === message);
  const times = Number(/** @type {HTMLElement} */ (same)?.dataset.times ?? 0) + 1;
  const card = document.createElement("div");
  card.className = kind === "info" ? "notice-card info" : "notice-card";
  const text = document.createElement("span");
  text.textContent = times > 1 ? `${message} (${times} times)` : message;
  card.dataset.says = message;
  card.dataset.times = String(times);
  const close = document.createElement("button");
  close.className = "quiet";
  close.dataset.dismiss = "";
  close.setAttribute("aria-label", "Close");
  close.textContent = "×";
  card.append(text);
  if (reload) {
    const again = document.createElement("button");
    Object.assign(again, { type: "button", className: "btn btn-line", textContent: "Reload" });
    again.dataset.reload = "";
    card.append(again);
  }
  card.append(close);
  place.replaceChildren(card);
  if (!reload) leave(card, STAYS + A_WORD * message.split(" ").length);
}

/** Let a card go after a while; not while it is read, with the pointer or the focus on it. */
function leave(card, after) {
  setTimeout(() => {
    if (card.matches(":hover, :focus-within")) leave(card, 2000);
    else card.remove();
  }, after);
}

export const clearNotice = () => document.getElementById("notice").replaceChildren();
