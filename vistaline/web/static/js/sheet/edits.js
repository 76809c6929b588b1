// Edits of a picture's sheet.
import { clearNotice, refuse } from "../page/notice.js";
import { queue } from "../page/queue.js";

export const token = () => document.querySelector('meta[name="csrf-token"]').content;

export class Edits {
  constructor(address) {
    this.address = address;
  }

  make(verb, values) {
    return this.post(`edits/${verb}`, values);
  }

  /** Values that are more than a number or a word go as JSON. Resolves to whether it was kept. */
  async post(path, values = {}) {
    const plain = Object.fromEntries(Object.entries(values).map(([key, value]) => [key, typeof value === "object" ? JSON.stringify(value) : value]));
    const answer = await queue.post(`${this.address}/${path}`, plain).catch(() => null);
    const said = answer ? await answer.json().catch(() => ({})) : {};
    if (!answer?.ok) {
      refuse(said);
      return false;
    }
    clearNotice();
    document.body.dispatchEvent(new CustomEvent("sheetchange", { detail: said }));
    return true;
  }
}

export async function ask(address) {
  const answer = await fetch(address, { headers: { Accept: "application/json" } }).catch(() => null);
  const said = answer ? await answer.json().catch(() => ({})) : {};
  if (answer?.ok) return said;
  refuse(said);
  return null;
}
