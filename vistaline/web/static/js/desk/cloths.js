// Cloths: where their points are in each frame, fetched some frames at a time, as
// vistaline.core.scene.cloths packs them. While a worker computes them, it is asked now and then.
import * as THREE from "/vendor/three.module.js";
import { named } from "./tracks.js";

const NUMBERS = 4; // of a point: right, up, towards who looks, how much lighter
const SOON = 400;
const LATER = 3000; // ms until it is asked again; later, if somebody stopped it
const AHEAD = 2; // stretches that are fetched before they are wanted

const pause = (time) => new Promise((resolve) => setTimeout(resolve, time));

export class Cloths {
  /** `arrived` is told of each stretch that is here. */
  constructor(arrived) {
    this.arrived = arrived;
    this.stretches = new Map(); // by address and first frame: numbers, or null while they are fetched
    this.coming = new Map(); // promises of them
    this.sheets = new Map(); // by layer
    this.disposed = false;
  }

  /** The mesh of a layer as it hangs in a frame, as it hung last if that is not here; null if never. */
  sheet(id, { rows, columns, at_once: atOnce, reach }, record) {
    const address = record.base.cloths?.[id];
    if (!address) return null;
    const first = record.frame - (record.frame % atOnce);
    for (let n = 0; n <= AHEAD; n++) if (first + n * atOnce < record.base.duration) this.#fetch(address, first + n * atOnce);
    const numbers = this.stretches.get(this.#name(address, first));
    const size = rows * columns * NUMBERS;
    let sheet = this.sheets.get(id);
    if (!numbers) return sheet?.rows === rows && sheet.columns === columns ? sheet : null;
    if (sheet?.rows !== rows || sheet?.columns !== columns) {
      sheet?.shape.dispose();
      sheet = { rows, columns, reach, ...this.#made(rows, columns) };
      this.sheets.set(id, sheet);
    }
    const shown = `${record.frame} ${named(address)}`;
    if (sheet.shown !== shown) {
      const now = numbers.subarray((record.frame - first) * size, (record.frame - first + 1) * size);
      sheet.buffer.array.set(now);
      sheet.buffer.needsUpdate = true;
      Object.assign(sheet, { shown, through: this.#through(now, reach) });
    }
    return sheet;
  }

  /** Resolves once all that a frame needs is here. */
  async settled(record) {
    const wanted = record.base.layers.filter(({ id, cloth }) => cloth && record.base.cloths?.[id]);
    await Promise.all(wanted.map(({ id, cloth }) => this.#fetch(record.base.cloths[id], record.frame - (record.frame % cloth.at_once))));
  }

  #made(rows, columns) {
    const shape = new THREE.PlaneGeometry(1, 1, columns - 1, rows - 1); // its rows run downwards, too
    const buffer = new THREE.InterleavedBuffer(new Int16Array(rows * columns * NUMBERS), NUMBERS);
    shape.setAttribute("position", new THREE.InterleavedBufferAttribute(buffer, 3, 0, true));
    shape.setAttribute("fold", new THREE.InterleavedBufferAttribute(buffer, 1, 3, true));
    return { shape, buffer };
  }

  /** How far it flies behind its card and before it, in widths of it. */
  #through(numbers, reach) {
    let [least, most] = [0, 0];
    for (let n = 2; n < numbers.length; n += NUMBERS) [least, most] = [Math.min(least, numbers[n]), Math.max(most, numbers[n])];
    return [least, most].map((value) => (value / 32767) * reach);
  }

  #name(address, first) {
    return `${first} ${named(address)}`;
  }

  #fetch(address, first) {
    const name = this.#name(address, first);
    if (!this.stretches.has(name)) {
      this.stretches.set(name, null);
      this.coming.set(name, this.#load(address, first, name));
    }
    return this.coming.get(name);
  }

  async #load(address, first, name) {
    let asked = 0;
    while (!this.disposed && this.coming.has(name)) {
      const answer = await fetch(address.replace(/&at=/, `&first=${first}&at=`)).catch(() => null);
      if (answer?.status === 200) {
        this.stretches.set(name, new Int16Array(await answer.arrayBuffer()));
        this.arrived(name);
        return;
      }
      if (!answer || ![202, 409].includes(answer.status)) {
        this.stretches.delete(name); // to be asked for again
        this.coming.delete(name);
        return;
      }
      if (!asked++) this.arrived("waiting");
      await pause(answer.status === 202 ? SOON : LATER);
    }
  }

  /** Forget what no shot has any more. */
  keepOnly(addresses) {
    const kept = new Set(addresses.map(named));
    for (const name of [...this.stretches.keys()]) {
      if (kept.has(name.slice(name.indexOf(" ") + 1))) continue;
      this.stretches.delete(name);
      this.coming.delete(name);
    }
  }

  dispose() {
    this.disposed = true;
  }
}
