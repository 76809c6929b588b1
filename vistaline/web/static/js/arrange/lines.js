// Straight edges that the server finds in the picture: what is marked goes to them.
const NEAR = 8; // screen pixels
const [PAUSE, TURNS] = [700, 120]; // ms between two looks, and how many

export class Lines {
  constructor(scene, viewfinder) {
    this.scene = scene;
    this.finder = viewfinder;
    this.found = null;
  }

  get on() {
    return document.getElementById("snap-lines")?.checked ?? true;
  }

  /** Fetch them once; they are the picture's, not a version's. */
  async fetch() {
    if (this.found || this.asked) return;
    this.asked = true;
    // Looked for by a worker; until it has found them, nothing snaps.
    for (let turn = 0; turn < TURNS; turn++) {
      const answer = await fetch(`${this.scene.address}/lines.json`, { headers: { Accept: "application/json" } }).catch(() => null);
      if (answer?.status === 200) {
        this.found = await answer.json();
        this.finder.draw();
      }
      if (answer?.status !== 202) break;
      if (!turn) document.body.dispatchEvent(new CustomEvent("taskchange"));
      await new Promise((resolve) => setTimeout(resolve, PAUSE));
    }
    this.asked = false;
  }

  /** Those in sight, in overlay pixels. */
  seen() {
    if (!this.on || !this.found) return [];
    const { record } = this.scene.current;
    return this.found.lines.map((ends) => ends.map((end) => this.finder.seen(record.clip, this.found.matrix, end))).filter((ends) => ends.every(Boolean));
  }

  /** A point, moved onto the nearest line if one is close. */
  point(at) {
    let [best, least] = [at, NEAR];
    for (const [a, b] of this.seen()) {
      const foot = footOn(at, a, b);
      if (!foot) continue;
      const away = Math.hypot(foot[0] - at[0], foot[1] - at[1]);
      if (away < least) [best, least] = [foot, away];
    }
    return best;
  }

  /** An edge, laid along a line that both of its ends are close to. */
  edge(a, b) {
    for (const [p, q] of this.seen()) {
      const feet = [a, b].map((end) => footOn(end, p, q, true));
      if ([a, b].every((end, n) => Math.hypot(feet[n][0] - end[0], feet[n][1] - end[1]) < NEAR)) return feet;
    }
    return [a, b];
  }
}

/** The foot of a point on a line; null beyond its ends, unless it goes on. */
function footOn(at, a, b, endless = false) {
  const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
  const t = ((at[0] - a[0]) * dx + (at[1] - a[1]) * dy) / Math.max(dx * dx + dy * dy, 1e-9);
  if (!endless && (t < -0.05 || t > 1.05)) return null;
  return [a[0] + t * dx, a[1] + t * dy];
}
