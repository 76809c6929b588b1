// Values that somebody typed: the field keeps them until a panel fetched after their edit was
// answered shows what was kept. A panel or a scene on its way for longer shows an older value.
import { queue } from "../page/queue.js";

export class Typed {
  /** `fields` is the selector of what is watched, within `element`. */
  constructor(element, fields) {
    this.fields = fields;
    this.states = new Map(); // field -> "typed", the request that carries its value, or the version that holds it
    this.hold = ({ target }) => target.matches?.(fields) && this.states.set(target, "typed");
    this.ask = ({ target, detail: { ctx } }) => this.#ask(target, ctx);
    this.answer = ({ detail: { ctx } }) => this.#answer(ctx);
    element.addEventListener("input", this.hold);
    element.addEventListener("refused", ({ target }) => this.states.delete(target));
    document.addEventListener("htmx:config:request", this.ask);
    document.addEventListener("htmx:finally:request", this.answer);
  }

  /** Whether a field still shows what was typed rather than what is kept. */
  has(field) {
    return this.states.has(field);
  }

  /** Something else is chosen: the fields now mean that. */
  clear() {
    this.states.clear();
  }

  /** A panel came, asked for as `ctx` says: what it knows of is typed no longer. */
  arrived(ctx) {
    for (const [field, state] of this.states) if (!field.isConnected || ctx?.askedAt >= state) this.states.delete(field);
  }

  /** Each request keeps what was known when its values were read. */
  #ask(form, ctx) {
    ctx.askedAt = queue.version;
    if (ctx.request.method !== "POST") return;
    for (const field of this.states.keys()) if (form.contains(field)) this.states.set(field, ctx);
  }

  #answer(ctx) {
    for (const [field, state] of this.states) if (state === ctx) this.states.set(field, queue.version);
  }

  dispose() {
    document.removeEventListener("htmx:config:request", this.ask);
    document.removeEventListener("htmx:finally:request", this.answer);
  }
}
