// Outlines and planes while they are drawn and when they are changed later.
import { drag } from "../page/drag.js";
import { svg } from "../page/svg.js";

const NEAR = 9; // screen pixels

/** A shape of points; an outline's have handles, a plane has just four corners. */
export class Wire {
  constructor(board, kind, points = [], { closed = false, index = null } = {}) {
    this.board = board;
    this.kind = kind;
    this.points = points;
    this.closed = closed;
    this.index = index;
    this.onDone = () => {};
  }

  /** Take a press: returns false if it was not for the shape. */
  press(event, { x, y }) {
    const hit = this.#hit(x, y);
    if (!this.closed) {
      if (hit?.point === 0 && hit.part === "at" && this.points.length >= 3) return this.#close();
      return this.#place(event, x, y);
    }
    if (!hit) return this.#insert(x, y);
    if (event.altKey && hit.part === "at") return this.#remove(hit.point);
    // A pointer's press does not count clicks.
    const twice = this.pressed?.point === hit.point && event.timeStamp - this.pressed.at < 400;
    this.pressed = { point: hit.point, at: event.timeStamp };
    if (twice && hit.part === "at" && this.kind === "outline") return this.#turn(hit.point);
    return this.#drag(event, hit);
  }

  #close() {
    this.closed = true;
    this.onDone();
    return true;
  }

  #place(event, x, y) {
    const point = { at: [x, y] };
    this.points.push(point);
    const { scale } = this.board.view;
    const settle = () => this.kind === "plane" && this.points.length === 4 && this.#close();
    if (this.kind === "plane") {
      settle();
      this.board.redraw();
      return true;
    }
    drag(this.board.room, event, {
      move: ({ dx, dy }) => {
        point.after = [dx / scale, dy / scale];
        point.before = [-dx / scale, -dy / scale];
        this.board.redraw();
      },
      end: () => this.board.redraw(),
      cancel: () => this.board.redraw(),
    });
    this.board.redraw();
    return true;
  }

  #hit(x, y) {
    const near = NEAR / this.board.view.scale;
    const parts = this.points.flatMap((point, n) => [
      { point: n, part: "at", spot: point.at },
      ...["before", "after"].filter((side) => point[side]).map((side) => ({ point: n, part: side, spot: [point.at[0] + point[side][0], point.at[1] + point[side][1]] })),
    ]);
    const found = parts.map((part) => ({ ...part, away: Math.hypot(part.spot[0] - x, part.spot[1] - y) })).sort((a, b) => a.away - b.away)[0];
    return found && found.away < near ? found : null;
  }

  #drag(event, { point: n, part }) {
    const from = structuredClone(this.points);
    const { scale } = this.board.view;
    const set = ({ dx, dy, event: e }) => {
      const [mx, my] = [dx / scale, dy / scale];
      const point = { ...from[n] };
      if (part === "at") point.at = [from[n].at[0] + mx, from[n].at[1] + my];
      else {
        point[part] = [from[n][part][0] + mx, from[n][part][1] + my];
        const other = part === "after" ? "before" : "after";
        // A smooth point's handles stay in line; Shift lets go of the other one.
        if (from[n][other] && !e.shiftKey) {
          const long = Math.hypot(...from[n][other]) / Math.max(1e-6, Math.hypot(...point[part]));
          point[other] = [-point[part][0] * long, -point[part][1] * long];
        }
      }
      this.points = this.points.map((each, k) => (k === n ? point : each));
      this.board.redraw();
    };
    drag(this.board.room, event, {
      move: set,
      end: (now) => {
        set(now);
        this.onDone();
      },
      cancel: () => {
        this.points = from;
        this.board.redraw();
      },
    });
    return true;
  }

  #remove(n) {
    if (this.kind === "plane" || this.points.length <= 3) return true;
    this.points = this.points.filter((_, k) => k !== n);
    this.onDone();
    return true;
  }

  #turn(n) {
    const point = this.points[n];
    const [before, after] = [this.points.at(n - 1).at, this.points[(n + 1) % this.points.length].at];
    const along = [(after[0] - before[0]) / 6, (after[1] - before[1]) / 6];
    const smooth = point.before || point.after;
    this.points = this.points.map((each, k) => (k !== n ? each : smooth ? { at: each.at } : { at: each.at, before: [-along[0], -along[1]], after: along }));
    this.onDone();
    return true;
  }

  #insert(x, y) {
    if (this.kind === "plane") return false;
    const near = NEAR / this.board.view.scale;
    let best = { away: near, after: -1 };
    this.points.forEach((point, n) => {
      for (const [px, py] of flat(point, this.points[(n + 1) % this.points.length])) {
        const away = Math.hypot(px - x, py - y);
        if (away < best.away) best = { away, after: n };
      }
    });
    if (best.after < 0) return false;
    this.points = [...this.points.slice(0, best.after + 1), { at: [x, y] }, ...this.points.slice(best.after + 1)];
    this.onDone();
    return true;
  }

  /** The last point of an unfinished shape is taken back. */
  back() {
    this.points = this.points.slice(0, -1);
    this.board.redraw();
  }

  marks(cursor) {
    const to = (point) => this.board.toScreen(point);
    const add = (a, b) => [a[0] + b[0], a[1] + b[1]];
    const list = this.points;
    if (!list.length) return [];
    let d = `M${to(list[0].at)}`;
    const stretch = (a, b) => (d += a.after || b.before ? `C${to(add(a.at, a.after ?? [0, 0]))} ${to(add(b.at, b.before ?? [0, 0]))} ${to(b.at)}` : `L${to(b.at)}`);
    for (let n = 1; n < list.length; n++) stretch(list[n - 1], list[n]);
    if (this.closed) stretch(list.at(-1), list[0]);
    else if (cursor) d += `L${cursor.x} ${cursor.y}`;
    const marks = [svg("path", { class: "wire under", d }), svg("path", { class: "wire", d })];
    list.forEach((point, n) => {
      const [x, y] = to(point.at);
      for (const side of ["before", "after"]) {
        if (!point[side]) continue;
        const [hx, hy] = to(add(point.at, point[side]));
        marks.push(svg("line", { class: "arm", x1: x, y1: y, x2: hx, y2: hy }), svg("circle", { class: "knob", cx: hx, cy: hy, r: 3.5 }));
      }
      const round = point.before || point.after;
      const kind = `point${round ? " round" : ""}${n === 0 && !this.closed ? " first" : ""}`;
      marks.push(round ? svg("circle", { class: kind, cx: x, cy: y, r: 4.5 }) : svg("rect", { class: kind, x: x - 4, y: y - 4, width: 8, height: 8 }));
    });
    return marks;
  }
}


function flat(a, b) {
  const [p1, p2] = [a.after ? [a.at[0] + a.after[0], a.at[1] + a.after[1]] : a.at, b.before ? [b.at[0] + b.before[0], b.at[1] + b.before[1]] : b.at];
  return Array.from({ length: 60 }, (_, n) => {
    const t = (n + 0.5) / 60;
    const w = [(1 - t) ** 3, 3 * t * (1 - t) ** 2, 3 * t * t * (1 - t), t ** 3];
    return [0, 1].map((k) => w[0] * a.at[k] + w[1] * p1[k] + w[2] * p2[k] + w[3] * b.at[k]);
  });
}
