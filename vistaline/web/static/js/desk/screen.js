// What draws the live view: the stage, in a worker where the browser can, else on this thread.
// Shots are told to it once, as far as it draws them, and named by numbers from then on.
import { named } from "./tracks.js";

const PATIENCE = 8000; // ms a worker may take to say whether it can draw

/** A layer as far as it is drawn. */
const drawn = ({ id, matrix, opacity, mode, projector, texture, matte, body, deep, relief, cloth, sharp, lit, air }) => ({ id, matrix, opacity, mode, projector, texture, matte, body, deep, relief, cloth, sharp, lit, air });
/** A lamp, as far as it shines. */
const shining = ({ kind, place, way, colour, falloff, normal, reach, cone }) => ({ kind, place, way, colour, falloff, normal, reach, cone });
/** A frame's record, the same. */
const framed = ({ frame, clip, order, moved, shadows, lights, air, finish, camera: { focus } }) => ({ frame, clip, order, moved, shadows, lights: lights.filter(({ on }) => on).map(shining), air, finish, camera: { focus } });
const tracked = (tracks) => Object.fromEntries(Object.entries(tracks).filter(([, { matrix }]) => matrix).map(([id, { matrix, opacity, looks, raised }]) => [id, { matrix, opacity, looks, raised }]));

/** A shot as far as it is drawn. */
const told = ({ width, height, duration, background, lens, copies, textures, reliefs, cloths, tables, passing, shadows, layers, frames, tracks }) => ({
  width, height, duration, background, lens, copies, textures, reliefs, cloths, tables, passing, shadows, layers: layers.map(drawn), frames: frames.map(framed), tracks: tracked(tracks),
});

/** A stage in a worker; null where there cannot be one. */
async function inWorker(canvas, hears) {
  if (!canvas.transferControlToOffscreen || !window.Worker) return null;
  const worker = new Worker(new URL("./stage-worker.js", import.meta.url), { type: "module" });
  const answers = new Map();
  let asked = 0;
  const ask = (deed, values, given = []) =>
    new Promise((resolve, reject) => {
      answers.set(++asked, { resolve, reject });
      worker.postMessage({ deed, values, answer: asked }, given);
    });
  worker.onmessage = ({ data: { what, value, answer, error } }) => {
    if (what) return hears(what, value);
    const { resolve, reject } = answers.get(answer);
    answers.delete(answer);
    if (error) reject(new Error(error));
    else resolve(value);
  };
  const late = new Promise((resolve) => setTimeout(resolve, PATIENCE, false));
  const able = await Promise.race([ask("probe", []), late, new Promise((resolve) => (worker.onerror = () => resolve(false)))]).catch(() => false);
  if (!able) {
    worker.terminate();
    return null;
  }
  const given = canvas.transferControlToOffscreen();
  await ask("open", [given], [given]);
  return { ask, dispose: () => worker.terminate() };
}

/** A stage on this thread; fails where the browser has no WebGL. */
async function here(canvas, hears) {
  const { Stage } = await import("./stage.js");
  const stage = new Stage(canvas, hears);
  return { ask: async (deed, values) => stage[deed](...values), dispose: () => stage.dispose() };
}

export class Screen {
  /** `hears` is told what the stage tells; `failed` is called where nothing can be drawn. */
  constructor(canvas, hears, failed) {
    this.numbers = new Map(); // by shot, of all that the stage has
    this.last = 0;
    this.ready = new WeakSet(); // shots that can be drawn
    this.known = new Set(); // what was fetched for them: looks, bodies
    this.busy = 0; // what was asked for and is not drawn yet
    const heard = (what, value) => {
      if (this.disposed) return;
      if (what === "free") this.#freed(value);
      hears(what, value);
    };
    this.stage = inWorker(canvas, heard).then((found) => found ?? here(canvas, heard));
    this.stage.catch(failed);
  }

  #freed({ took, pixels }) {
    this.busy -= 1;
    this.perPixel = took / pixels;
  }

  async #ask(deed, ...values) {
    const stage = await this.stage;
    return this.disposed ? undefined : stage.ask(deed, values);
  }

  /** Tell the stage of shots; resolves when all of them can be drawn. */
  async keep(shots) {
    const all = shots.filter(Boolean);
    const fresh = all.filter((shot) => !this.numbers.has(shot));
    const known = this.numbers;
    this.numbers = new Map(all.map((shot) => [shot, known.get(shot) ?? ++this.last]));
    const kept = this.#ask("keep", fresh.map((shot) => [this.numbers.get(shot), told(shot)]), [...this.numbers.values()]);
    const needs = fresh.flatMap((shot) => [...[...Object.values(shot.textures), ...Object.values(shot.passing).map(({ address }) => address), ...Object.values(shot.reliefs ?? {})].filter(Boolean).map(named), ...shot.layers.map(({ body }) => body)]).filter(Boolean);
    const ready = () => fresh.forEach((shot) => this.ready.add(shot));
    // With nothing to fetch the stage has them before it hears of anything else.
    if (needs.every((need) => this.known.has(need))) return ready();
    try {
      await kept;
    } catch (error) {
      for (const shot of fresh) this.numbers.delete(shot); // to be told again
      throw error;
    }
    for (const need of needs) this.known.add(need);
    ready();
  }

  /** Whether a frame can be drawn: the shot it is of is known, and its looks are here. */
  has({ base }) {
    return this.ready.has(base) && this.numbers.has(base);
  }

  #sight(record) {
    const { base, n } = record;
    const sight = { shot: this.numbers.get(base), frame: n };
    return base.frames[n] === record ? sight : { ...sight, tried: { ...framed(record), n, tables: record.tables, passing: record.passing, tracks: tracked(record.tracks) } };
  }

  draw(record, view, coarse, beside) {
    this.#show("draw", this.#sight(record), view, coarse, beside && this.#sight(beside));
  }

  gather(record, view, n) {
    this.#show("gather", this.#sight(record), view, n);
  }

  #show(deed, ...values) {
    this.busy += 1;
    this.#ask(deed, ...values).catch((error) => {
      this.busy -= 1;
      throw error;
    });
  }

  snapshot(record, size, gathered) {
    return this.#ask("snapshot", this.#sight(record), { size, window: [1, 1] }, gathered);
  }

  dispose() {
    this.disposed = true;
    this.stage.then((stage) => stage.dispose(), () => {});
  }
}
