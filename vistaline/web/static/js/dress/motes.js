// The particles of the frame in sight, fetched as the server tells them and kept for a while.
const KEPT = 400; // frames

export class Motes {
  /** `arrived` is called when a frame's particles are here. */
  constructor(scene, arrived) {
    this.scene = scene;
    this.arrived = arrived;
    this.kept = new Map(); // by version and frame
    this.asked = new Set();
  }

  /** The particles of a frame, ten numbers each; of the last that is here, while they are fetched. */
  of(record) {
    if (!record.air.motes) return null;
    const { version } = record.base;
    // What is only tried out has no frame of its own: the last that is here stands for it.
    if (record.base.frames[record.n] !== record || this.scene.shown) return this.last ?? null;
    const key = `${version} ${record.n} ${this.scene.as}`;
    if (this.kept.has(key)) return (this.last = this.kept.get(key));
    this.#ask(key, record.n);
    return this.last ?? null;
  }

  async #ask(key, frame) {
    if (this.asked.has(key) || this.asked.size > 3) return;
    this.asked.add(key);
    try {
      const answer = await fetch(`${this.scene.address}/motes/${frame}.bin?as=${this.scene.as}`);
      if (!answer.ok) return;
      this.kept.set(key, new Float32Array(await answer.arrayBuffer()));
      if (this.kept.size > KEPT) this.kept.delete(this.kept.keys().next().value);
      this.arrived();
    } finally {
      this.asked.delete(key);
    }
  }
}
