// Names on a drawing that lie over one another nowhere: each at the first of its places that is
// free, else a little away with a line to what it names, else not at all.

const HIGH = 15; // pixels of a line of text
const AWAY = [[26, -22], [-26, -22], [26, 26], [-26, 26], [44, -42], [-44, -42], [44, 46], [-44, 46]];

export class Labels {
  constructor({ width, height }) {
    this.size = { width, height };
    this.taken = [];
  }

  /**
   * Find a place for words. `wishes`: [x, y, anchor], the best first; `at`: what is named.
   *
   * What `must` be named is, whatever it lies over.
   */
  put(words, wishes, at, must = false) {
    const wide = 6.4 * words.length + 4;
    const found = wishes.map(([x, y, anchor]) => this.#kept(x, y, anchor, wide)).find((place) => this.#free(place));
    if (found) return this.#take(found);
    for (const [dx, dy] of AWAY) {
      const place = this.#kept(at[0] + dx, at[1] + dy, dx > 0 ? "start" : "end", wide);
      if (this.#free(place)) return this.#take({ ...place, leader: [at[0], at[1], at[0] + dx * 0.92, at[1] + dy * 0.8] });
    }
    return must ? this.#take(this.#kept(...wishes[0], wide)) : null;
  }

  /** A place, moved so far that the words stay on the sheet. */
  #kept(x, y, anchor, wide) {
    const start = { start: x, end: x - wide, middle: x - wide / 2 }[anchor];
    const left = Math.min(Math.max(start, 4), Math.max(4, this.size.width - wide - 4));
    const top = Math.min(Math.max(y - HIGH + 3, 2), this.size.height - HIGH);
    return { x: x + left - start, y: top + HIGH - 3, anchor, box: [left, top, left + wide, top + HIGH] };
  }

  #free({ box }) {
    const [l, t, r, b] = box;
    return this.taken.every(([left, top, right, bottom]) => r <= left || l >= right || b <= top || t >= bottom);
  }

  #take(place) {
    this.taken.push(place.box);
    return place;
  }
}
