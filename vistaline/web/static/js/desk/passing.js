// Titles on their way: their pieces laid on a canvas, as the server says what each does. The renderer
// lays them likewise; see vistaline.core.looks.pieces.
import { named } from "./tracks.js";

const LONGEST = 1024; // pixels of such a title's longer side
const MOVES = 7; // numbers of a piece: right, up, scale, turn, alpha, blur, shown

export class Passing {
  constructor(looks) {
    this.looks = looks;
    this.sheets = new Map(); // by address; null while they are fetched
    this.laid = new Map(); // by layer: { entry, made }
    this.canvas = null;
  }

  /** Fetch the pieces of all titles of a shot. */
  async fetch(passing) {
    const wanted = new Set(Object.values(passing).map(({ address }) => address).filter(Boolean));
    await Promise.all([...wanted].map((address) => this.#load(address)));
  }

  async #load(address) {
    const name = named(address);
    if (this.sheets.has(name)) return;
    this.sheets.set(name, null);
    try {
      const told = await (await fetch(address, { headers: { Accept: "application/json" } })).json();
      const bitmap = await createImageBitmap(await (await fetch(told.image)).blob());
      this.sheets.set(name, { ...told, bitmap });
    } catch {
      this.sheets.delete(name); // to be asked for again
    }
  }

  /** The texture of a layer that is on its way in a frame; null if it is not, or not here yet. */
  texture(id, name, record) {
    const entry = name ? record.passing?.[name] : null;
    if (!entry) return null;
    const sheet = this.sheets.get(named(entry.address));
    if (sheet === undefined) this.#load(entry.address);
    if (!sheet) return null;
    const before = this.laid.get(id);
    if (before?.entry === entry) return before.made.texture;
    const made = this.looks.ofCanvas(this.#lay(sheet, entry));
    before?.made.dispose();
    this.laid.set(id, { entry, made });
    return made.texture;
  }

  #lay({ bitmap, boxes, places, size, em, width }, { moves, room }) {
    const [across, up] = room.map((more) => Math.round(more * em));
    const whole = [size[0] + 2 * across, size[1] + 2 * up];
    const scale = Math.min(1, LONGEST / Math.max(...whole));
    const canvas = (this.canvas ??= new OffscreenCanvas(1, 1));
    [canvas.width, canvas.height] = whole.map((side) => Math.max(1, Math.round(side * scale)));
    const context = canvas.getContext("2d");
    const fine = bitmap.width / width; // the sheet may be sent smaller than it is
    boxes.forEach(([left, top, wide, high], n) => {
      const [right, above, size_, turn, alpha, blur, shown] = moves.subarray(n * MOVES, n * MOVES + MOVES);
      if (alpha <= 0 || !wide || size_ <= 0 || shown <= 0) return;
      // Upside down, as textures are.
      context.setTransform(scale, 0, 0, -scale, 0, canvas.height);
      context.translate(places[n][0] + wide / 2 + right * em + across, places[n][1] + high / 2 - above * em + up);
      context.rotate((-turn * Math.PI) / 180);
      context.scale(size_, size_);
      context.globalAlpha = alpha;
      context.filter = blur > 0 ? `blur(${(blur * em * scale) / 4}px)` : "none";
      const seen = wide * shown;
      context.drawImage(bitmap, left * fine, top * fine, seen * fine, high * fine, -wide / 2, -high / 2, seen, high);
    });
    return canvas.transferToImageBitmap();
  }
}
