// A browser fetches six things of one server at a time. Looks are many and large: asked for all
// together, what a hand asks for would wait behind them.
const AT_ONCE = 3;

/** Lets so many through at a time; of those that wait the lowest rank first, then who came first. */
export class Lane {
  constructor(atOnce = AT_ONCE) {
    this.free = atOnce;
    this.waiting = []; // { rank, begin }
  }

  /** Begin a deed once there is room, and answer as it does. */
  async run(deed, rank = 0) {
    if (this.free) this.free -= 1;
    else await new Promise((begin) => this.waiting.push({ rank, begin }));
    try {
      return await deed();
    } finally {
      this.#next();
    }
  }

  /** Give one's room to who waits, or back. */
  #next() {
    if (!this.waiting.length) return void (this.free += 1);
    const first = this.waiting.reduce((one, other) => (other.rank < one.rank ? other : one));
    this.waiting.splice(this.waiting.indexOf(first), 1);
    first.begin();
  }
}
