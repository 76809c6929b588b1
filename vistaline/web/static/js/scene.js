// The shot as the server describes it. Every number here came from there; edits and previews of
// edits go there. Emits: "change" (new data), "frame", "choose".
import { clearNotice, notice } from "./notice.js";

const token = () => document.querySelector('meta[name="csrf-token"]').content;

export class Scene extends EventTarget {
  constructor(address) {
    super();
    this.address = address;
    this.data = null;
    this.shown = null; // a preview's data while a drag lasts
    this.frame = 0;
    this.layer = "";
    this.framing = 0;
    this.queued = null;
    this.asking = false;
  }

  /** What to draw now: the scene, and the record of the frame in sight. */
  get current() {
    const data = this.shown ?? this.data;
    return { data, record: data.frames[this.shown ? 0 : this.frame] };
  }

  async load() {
    const turn = (this.turn = (this.turn ?? 0) + 1);
    const answer = await fetch(`${this.address}/scene.json`, { headers: { Accept: "application/json" } });
    const body = await answer.json();
    if (turn !== this.turn) return; // a later state is on its way
    if (!answer.ok) return notice(body.error);
    this.data = body;
    this.shown = null;
    this.frame = Math.min(this.frame, body.duration - 1);
    this.framing = Math.min(this.framing, body.framings.length - 1);
    this.#remember();
    this.dispatchEvent(new Event("change"));
  }

  /** The shot is at this version now, whatever has been fetched of it. */
  reached(version) {
    if (this.data) this.data.version = version;
    document.getElementById("at").elements.version.value = version;
  }

  go(frame) {
    const last = this.data.duration - 1;
    this.frame = Math.max(0, Math.min(last, Math.round(frame)));
    this.dispatchEvent(new Event("frame"));
  }

  choose({ layer = this.layer, framing = this.framing } = {}) {
    if (layer === this.layer && framing === this.framing) return;
    this.layer = layer;
    this.framing = framing;
    this.#remember();
    this.dispatchEvent(new Event("choose"));
    document.body.dispatchEvent(new CustomEvent("chosen"));
  }

  /** Make an edit and keep it. */
  async edit(verb, values) {
    this.queued = null;
    const answer = await this.#post(`edits/${verb}`, { ...values, version: this.data.version });
    const body = await answer.json().catch(() => ({ error: "The server gave no answer. Try again." }));
    if (!answer.ok) {
      this.forget();
      return notice(body.error);
    }
    clearNotice();
    document.body.dispatchEvent(new CustomEvent("shotchange", { detail: body }));
  }

  /** Show what an edit would look like; the newest wish wins while one is being answered. */
  preview(verb, values, frame = this.frame) {
    this.queued = { verb, values, frame };
    if (!this.asking) this.#ask();
  }

  /** Drop a preview. */
  forget() {
    this.queued = null;
    if (!this.shown) return;
    this.shown = null;
    this.dispatchEvent(new Event("change"));
  }

  async pick(x, y) {
    const query = new URLSearchParams({ x, y, frame: this.frame });
    const answer = await fetch(`${this.address}/pick?${query}`, { headers: { Accept: "application/json" } });
    return answer.ok ? (await answer.json()).layer : null;
  }

  async #ask() {
    this.asking = true;
    while (this.queued) {
      const wish = this.queued;
      this.queued = null;
      const answer = await this.#post(`preview/${wish.verb}?frame=${wish.frame}`, wish.values);
      const body = await answer.json().catch(() => null);
      if (!answer.ok) {
        if (body) notice(body.error);
        continue;
      }
      if (this.dragging) {
        this.shown = body;
        this.dispatchEvent(new Event("change"));
      }
    }
    this.asking = false;
  }

  #post(path, values) {
    return fetch(`${this.address}/${path}`, {
      method: "POST",
      headers: { Accept: "application/json", "X-CSRFToken": token() },
      body: new URLSearchParams(values),
    });
  }

  // What panels are asked for, and which version edits are made against.
  #remember() {
    const chosen = document.getElementById("chosen");
    chosen.elements.layer.value = this.layer;
    chosen.elements.framing.value = this.framing;
    chosen.elements.frame.value = this.data.framings[this.framing]?.frame ?? 0;
    document.getElementById("at").elements.version.value = this.data.version;
  }
}
