// What effects make of colours, as tables for a shader; and what lies over the whole frame.
import * as THREE from "/vendor/three.module.js";

const SIDE = 33;
const MOST = 16; // tables kept
export const VIGNETTES = 3;

export class Tables {
  constructor() {
    this.made = new Map();
    this.none = this.#texture(new Uint8Array(3 * SIDE ** 3));
    const vectors = (Kind) => Array.from({ length: VIGNETTES }, () => new Kind());
    this.uniforms = {
      table: { value: this.none },
      tabled: { value: false },
      inner: { value: new THREE.Vector2(1, 1) },
      vignettePlace: { value: vectors(THREE.Vector4) },
      vignetteColour: { value: vectors(THREE.Vector4) },
      vignetteSoft: { value: new Array(VIGNETTES).fill(1) },
      grain: { value: 0 },
      turn: { value: 0 },
    };
  }

  #texture(codes) {
    const four = new Uint8Array(4 * SIDE ** 3);
    for (let n = 0; n < SIDE ** 3; n++) for (let c = 0; c < 3; c++) four[4 * n + c] = codes[3 * n + c];
    const made = new THREE.Data3DTexture(four, SIDE, SIDE, SIDE);
    Object.assign(made, { minFilter: THREE.LinearFilter, magFilter: THREE.LinearFilter, unpackAlignment: 1, needsUpdate: true });
    return made;
  }

  /** A table by its name; null where there is none. */
  named(name, { tables }) {
    if (!name) return null;
    if (!this.made.has(name)) {
      if (!tables[name]) return null;
      this.made.set(name, this.#texture(tables[name]));
      for (const [old, texture] of this.made) {
        if (this.made.size <= MOST) break;
        texture.dispose();
        this.made.delete(old);
      }
    }
    return this.made.get(name);
  }

  /** Tell the last pass of a frame, of which it shows the share `window`. */
  finish(record, window) {
    const { uniforms } = this;
    const { table, vignettes, grain } = record.finish;
    const found = this.named(table, record);
    uniforms.table.value = found ?? this.none;
    uniforms.tabled.value = Boolean(found);
    uniforms.inner.value.set(window[0], window[1]);
    uniforms.grain.value = grain;
    uniforms.turn.value = record.n ?? 0;
    for (let n = 0; n < VIGNETTES; n++) {
      const one = vignettes[n];
      uniforms.vignetteColour.value[n].fromArray(one ? [...one.colour, one.strength] : [0, 0, 0, 0]);
      if (one) uniforms.vignettePlace.value[n].fromArray([...one.middle, ...one.half]);
      uniforms.vignetteSoft.value[n] = one?.softness ?? 1;
    }
  }
}
