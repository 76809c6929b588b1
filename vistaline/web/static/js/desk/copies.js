// The blurred copies of looks, which the server makes: fetched when a look is first out of focus.
import { lookOf } from "./tracks.js";

/** A look's address without the revision it may be drawn from: that is no part of its name. */
export const named = (address) => address.replace(/&at=\d+$/, "");

export class Copies {
  /** `load` brings a picture to a texture; `arrived` is told the name of a look whose copies are here. */
  constructor(load, arrived) {
    this.load = load;
    this.arrived = arrived;
    this.kept = new Map(); // lists of { pad, texture } by the looks' addresses; null while they are fetched
    this.coming = 0; // looks whose copies are on their way
    this.settled = Promise.resolve(); // when all that was asked for so far is here
  }

  /** A look's copies, each blurred twice as much as the one before; null until all are here. */
  of(record, name) {
    return this.kept.get(named(record.base.textures[name] ?? "")) ?? null;
  }

  /** Fetch those of all that is out of focus in a frame and not here yet. */
  fetch(record) {
    if (!record.camera.focus) return;
    const { byId, looks, textures, copies } = record.base;
    for (const id of record.order) {
      const layer = byId.get(id);
      const name = lookOf(record, id) ?? layer?.texture;
      const address = textures[name];
      if (!layer || layer.sharp || !address || !looks.has(name) || this.kept.has(named(address))) continue;
      this.#begin(name, address, copies);
    }
  }

  #begin(name, address, copies) {
    this.kept.set(named(address), null);
    this.coming += 1;
    const all = copies.map(([, pad], n) => this.load(`${address}&copy=${n}`).then((texture) => ({ pad, texture })));
    const done = Promise.all(all)
      .then((found) => this.kept.set(named(address), found), () => {}) // without them it stays sharp
      .then(() => {
        this.coming -= 1;
        this.arrived(name);
      });
    this.settled = Promise.all([this.settled, done]).then(() => {});
  }
}
