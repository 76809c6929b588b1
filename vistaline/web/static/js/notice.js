export function notice(message, kind = "refusal") {
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
  card.append(text, close);
  place.replaceChildren(card);
}

export const clearNotice = () => document.getElementById("notice").replaceChildren();
