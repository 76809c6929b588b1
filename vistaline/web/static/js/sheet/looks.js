// How a cutout is looked at: over the picture, as an outline, its alpha, or cut out on a ground.
import { PLAIN } from "./board.js";
import { drawTiles } from "./tiles.js";

const PICTURE = 2; // sheets that keep what does not change while a stroke is drawn
const MASK = 3;

export class Looks {
  constructor(board, address) {
    this.board = board;
    this.address = address;
    this.look = "overlay";
    this.ground = "checks";
    this.colour = "#2f7d4f";
    this.off = [new OffscreenCanvas(1, 1), new OffscreenCanvas(1, 1), new OffscreenCanvas(1, 1), new OffscreenCanvas(1, 1)];
    this.still = new Map();
    this.again = () => board.redraw();
  }

  /** Tiles of one kind; while nothing but strokes changes they are kept as one sheet, `slot`. */
  #tiles(context, kind, name, slot = null) {
    const { view, canvas } = this.board;
    const key = [kind, name, view.scale, view.x, view.y, canvas.width, canvas.height].join();
    if (slot === null) return this.#drawTiles(context, kind, name);
    if (this.still.get(slot) !== key) {
      const sheet = this.#sheet(slot);
      this.still.delete(slot);
      if (this.#drawTiles(sheet, kind, name)) this.still.set(slot, key);
    }
    this.#lay(context, { canvas: this.off[slot] });
    return this.still.has(slot);
  }

  #drawTiles(context, kind, name) {
    return drawTiles(context, this.board, (level, column, row) => `${this.address}/tiles/${kind}/${name}/${level}/${column}/${row}`, this.state.levels, this.again);
  }

  /** A second sheet of the canvas's size, empty. */
  #sheet(n) {
    const { canvas, dense } = this.board;
    const sheet = this.off[n];
    if (sheet.width !== canvas.width || sheet.height !== canvas.height) Object.assign(sheet, { width: canvas.width, height: canvas.height });
    const context = sheet.getContext("2d", PLAIN);
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.globalCompositeOperation = "source-over";
    context.clearRect(0, 0, sheet.width, sheet.height);
    context.setTransform(dense, 0, 0, dense, 0, 0);
    context.imageSmoothingEnabled = this.board.view.scale < 2;
    return context;
  }

  #lay(context, sheet, alpha = 1) {
    context.save();
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.globalAlpha = alpha;
    context.drawImage(sheet.canvas, 0, 0);
    context.restore();
  }

  /** Draw; `live` are strokes whose mask is not here yet. Returns whether the mask was all here. */
  paint(context, state, cutout, live) {
    this.state = state;
    const { board } = this;
    const { scale, x, y } = board.view;
    context.setTransform(board.dense, 0, 0, board.dense, 0, 0);
    context.imageSmoothingEnabled = scale < 2;
    const rect = [x, y, board.width * scale, board.height * scale];
    if (!cutout || this.look === "overlay" || this.look === "outline") {
      if (!cutout && state.plates[""] && this.look !== "outline") this.#tiles(context, "plate", state.plates[""]);
      else this.#tiles(context, "picture", state.content, PICTURE);
      if (!cutout && !live.length) return true;
      return this.look === "outline" && !live.length ? this.#tint(context, "outline", cutout, live, 1) : this.#tint(context, "mask", cutout, live, 0.55);
    }
    if (this.look === "alpha") {
      context.fillStyle = "#000";
      context.fillRect(...rect);
      const [mask, whole] = this.#mask(cutout, live);
      this.#lay(context, mask);
      return whole;
    }
    this.#drawGround(context, rect);
    const sheet = this.#sheet(1);
    if (cutout.matte && !live.length) {
      const whole = this.#tiles(sheet, "layer", cutout.matte);
      this.#lay(context, sheet);
      return whole;
    }
    this.#tiles(sheet, "picture", state.content, PICTURE);
    const [mask, whole] = this.#mask(cutout, live);
    sheet.globalCompositeOperation = "destination-in";
    this.#lay(sheet, mask);
    this.#lay(context, sheet);
    return whole;
  }

  #tint(context, kind, cutout, live, alpha) {
    const [sheet, whole] = this.#mask(cutout, live, kind);
    sheet.save();
    sheet.setTransform(1, 0, 0, 1, 0, 0);
    sheet.globalCompositeOperation = "source-in";
    sheet.fillStyle = this.state.overlay;
    sheet.fillRect(0, 0, sheet.canvas.width, sheet.canvas.height);
    sheet.restore();
    this.#lay(context, sheet, alpha);
    return whole;
  }

  /** @returns {[any, boolean]} the sheet, and whether all of it is here */
  #mask(cutout, live, kind = "mask") {
    const sheet = this.#sheet(0);
    let whole = true;
    if (cutout && !cutout.empty) {
      whole = this.#tiles(sheet, kind, cutout.mask, MASK);
      // Until the new mask's tiles are here, the mask before stands in with the strokes since.
      if (!whole && this.before && this.before !== cutout.mask) {
        sheet.clearRect(0, 0, this.board.wide, this.board.tall);
        this.#tiles(sheet, kind, this.before);
        this.#tiles(sheet, kind, cutout.mask);
      }
    }
    if (whole && cutout) this.before = cutout.empty ? null : cutout.mask;
    for (const stroke of live) this.stroke(sheet, stroke);
    return [sheet, whole];
  }

  /** A brush stroke as the mask will have it; its soft rim in steps, as blurring takes too long. */
  stroke(context, { points, width, softness = 0, effect = "add" }) {
    const { scale, x, y } = this.board.view;
    context.save();
    context.globalCompositeOperation = effect === "take" ? "destination-out" : "source-over";
    context.strokeStyle = "#fff";
    context.lineCap = context.lineJoin = "round";
    const path = new Path2D();
    points.forEach(([px, py], n) => path[n ? "lineTo" : "moveTo"](px * scale + x, py * scale + y));
    if (points.length === 1) path.lineTo(points[0][0] * scale + x + 0.01, points[0][1] * scale + y);
    const rims = softness > 0 ? [[0.15, 0.2], [0.4, 0.3], [0.7, 0.45], [1, 1]] : [[0, 1]];
    for (const [inwards, alpha] of rims) {
      context.globalAlpha = alpha;
      context.lineWidth = Math.max(0.5, width * scale * (1 - softness * inwards));
      context.stroke(path);
    }
    context.restore();
  }

  /**
   * What a cut picture is shown on.
   *
   * @param {any} context
   * @param {number[]} box
   */
  #drawGround(context, box) {
    const [x, y, width, height] = box;
    if (this.ground === "plate") {
      const name = this.state.plates[""];
      if (name) this.#tiles(context, "plate", name);
      else this.#tiles(context, "picture", this.state.content);
      return;
    }
    if (this.ground === "checks") {
      const check = new OffscreenCanvas(24, 24);
      const small = check.getContext("2d");
      small.fillStyle = "#8f8f8f";
      small.fillRect(0, 0, 24, 24);
      small.fillStyle = "#a6a6a6";
      small.fillRect(0, 0, 12, 12);
      small.fillRect(12, 12, 12, 12);
      context.fillStyle = context.createPattern(check, "repeat");
    } else context.fillStyle = this.ground === "colour" ? this.colour : this.ground;
    context.fillRect(x, y, width, height);
  }
}
