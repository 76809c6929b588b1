// Edits of a picture's sheet, one after the other: each is made against the version before it.
import { clearNotice, notice } from "./notice.js";

export const token = () => document.querySelector('meta[name="csrf-token"]').content;
const at = () => document.getElementById("at").elements.version;

export class Edits {
  constructor(address) {
    this.address = address;
    this.last = Promise.resolve();
    this.onChange = (event) => (at().value = event.detail.version);
    document.body.addEventListener("sheetchange", this.onChange);
  }

  make(verb, values) {
    return this.post(`edits/${verb}`, values);
  }

  /** Values that are more than a number or a word go as JSON. Resolves to whether it was kept. */
  post(path, values = {}) {
    this.last = this.last.then(() => this.#send(path, values));
    return this.last;
  }

  async #send(path, values) {
    const body = new URLSearchParams({ version: at().value });
    for (const [key, value] of Object.entries(values)) body.set(key, typeof value === "object" ? JSON.stringify(value) : value);
    const answer = await fetch(`${this.address}/${path}`, { method: "POST", headers: { Accept: "application/json", "X-CSRFToken": token() }, body }).catch(() => null);
    const said = answer ? await answer.json().catch(() => ({})) : {};
    if (!answer?.ok) {
      notice(said.error ?? "The server gave no answer. Nothing was lost; try again.");
      return false;
    }
    clearNotice();
    document.body.dispatchEvent(new CustomEvent("sheetchange", { detail: said }));
    return true;
  }

  dispose() {
    document.body.removeEventListener("sheetchange", this.onChange);
  }
}

export async function ask(address) {
  const answer = await fetch(address, { headers: { Accept: "application/json" } }).catch(() => null);
  const said = answer ? await answer.json().catch(() => ({})) : {};
  if (answer?.ok) return said;
  notice(said.error ?? "The server does not answer. Reload the page.");
  return null;
}
