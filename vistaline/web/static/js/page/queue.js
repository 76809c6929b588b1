// The edits of this window, one after the other, in the order they were asked for: each is made
// against the version the one before has reached. Panels' forms (through htmx) and the desk's own
// drags and keys all go through here, and so do undo and redo.
import { notice, refuseIn } from "./notice.js";

const token = () => document.querySelector('meta[name="csrf-token"]').content;

// An answer that got lost says nothing of whether the edit was made; so it is asked for again
// under the same key, and the server makes it once.
const PAUSES = [300, 900, 2000, 4000, 8000];
const AWAY = [502, 503, 504];

class Queue {
  constructor() {
    this.last = Promise.resolve();
    this.waiting = 0;
    this.version = 0;
  }

  /** The document is at this version now. The page's form only shows it, for what has no script. */
  reached(version) {
    this.version = Number(version);
    const form = document.getElementById("at");
    if (form) form.elements.version.value = this.version;
  }

  /** Send an edit when its turn comes; `request` is fetch's, its body a form's values. */
  fetch(address, request) {
    this.waiting += 1;
    const turn = this.last.then(() => this.#send(address, request));
    this.last = turn.catch(() => {}).finally(() => (this.waiting -= 1));
    return turn;
  }

  /** Send values to an address, as a form would. */
  post(address, values) {
    const body = new URLSearchParams();
    for (const [key, value] of Object.entries(values)) for (const each of [value].flat()) body.append(key, each);
    return this.fetch(address, { method: "POST", headers: { Accept: "application/json", "X-CSRFToken": token() }, body });
  }

  async #send(address, request) {
    request.body.set("version", this.version);
    const headers = { ...request.headers, "X-Edit-Key": crypto.randomUUID() };
    for (const pause of [...PAUSES, null]) {
      const answer = await window.fetch(address, { ...request, headers }).catch((error) => error);
      const lost = answer instanceof Error ? answer.name !== "AbortError" : AWAY.includes(answer.status);
      if (lost && pause !== null) {
        notice("The server does not answer. What you do is kept here and sent as soon as it does.", "info");
        await new Promise((resolve) => setTimeout(resolve, pause));
        continue;
      }
      if (answer instanceof Error) throw answer;
      if (answer.ok) await this.#reached(answer.clone());
      return answer;
    }
  }

  async #reached(answer) {
    const said = await answer.json().catch(() => null);
    if (said?.version) this.reached(said.version);
  }
}

export const queue = new Queue();
queue.reached(document.getElementById("at")?.elements.version.value ?? 0);

// Whatever a panel posts that names a version is an edit, too.
document.addEventListener("htmx:config:request", ({ detail: { ctx } }) => {
  if (ctx.request.method !== "POST" || !ctx.request.body.has("version")) return;
  ctx.request.headers.Accept = "application/json";
  ctx.fetch = async (address, request) => {
    const answer = await queue.fetch(address, request);
    if (!answer.ok) refuseIn(ctx.sourceElement, await answer.clone().json().catch(() => ({})));
    return answer;
  };
});

// A worker changes things, too, as when a fill is put to use; the panel that follows it tells.
for (const name of ["sheetchange", "shotchange", "filmchange"]) {
  document.addEventListener(name, (/** @type {any} */ { detail }) => {
    if (detail?.version > queue.version) queue.reached(detail.version);
  });
}
