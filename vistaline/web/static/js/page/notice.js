const UNANSWERED = "The server gave no answer. Nothing was lost; try again.";

/** Tell a refusal as the server worded it; one that a reload mends has a button for that. */
export function refuse({ error = UNANSWERED, reload = false } = {}) {
  notice(error, "refusal", reload);
}

export function notice(message, kind = "refusal", reload = false) {
  const place = document.getElementById("notice");
  const card = document.createElement("div");
  card.className = kind === "info" ? "notice-card info" : "notice-card";
  const text = document.createElement("span");
  text.textContent = message;
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
}

export const clearNotice = () => document.getElementById("notice").replaceChildren();
