// Where a frame is along the route, and which frame is at a place: no page is needed to know.

/** A shot's frames over a width of pixels, with room left free at both ends. */
export class TimeScale {
  /**
   * @param {number} duration frames of the shot
   * @param {number} width pixels
   * @param {number} left pixels free before the first frame
   * @param {number} right pixels free after the last
   */
  constructor(duration, width, left, right) {
    this.last = Math.max(1, duration - 1);
    this.left = left;
    this.long = width - left - right;
  }

  /** Pixels from one frame to the next. */
  get step() {
    return this.long / this.last;
  }

  /** Where a frame is, in pixels from the left. */
  x(frame) {
    return this.left + frame * this.step;
  }

  /** The frame nearest to a place, within the shot. */
  frameAt(x) {
    return Math.max(0, Math.min(this.last, Math.round((x - this.left) / this.step)));
  }
}
