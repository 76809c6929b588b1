// A loupe beside the pointer while marks are set: the viewfinder, enlarged.
const SIDE = 132; // screen pixels
const TIMES = 4;
const AWAY = 26;

export class Loupe {
  constructor(viewfinder) {
    this.finder = viewfinder;
    this.glass = document.createElement("canvas");
    this.glass.className = "loupe";
    this.glass.width = this.glass.height = SIDE;
    this.glass.hidden = true;
    viewfinder.gate.append(this.glass);
  }

  /**
   * Show what is round a point of the gate.
   *
   * @param {number[]} point
   */
  show([x, y]) {
    const { finder, glass } = this;
    const { canvas } = finder;
    finder.draw(); // what WebGL has drawn can be copied in the same task only
    const ratio = canvas.width / finder.whole.width;
    const seen = SIDE / TIMES;
    const pen = glass.getContext("2d");
    pen.imageSmoothingEnabled = false;
    pen.fillStyle = "#5a5a5a";
    pen.fillRect(0, 0, SIDE, SIDE);
    pen.drawImage(canvas, (x - finder.whole.x - seen / 2) * ratio, (y - finder.whole.y - seen / 2) * ratio, seen * ratio, seen * ratio, 0, 0, SIDE, SIDE);
    pen.strokeStyle = "#f0a53a";
    pen.beginPath();
    for (const [a, b] of [[0, SIDE / 2 - 6], [SIDE / 2 + 6, SIDE]]) {
      pen.moveTo(a, SIDE / 2);
      pen.lineTo(b, SIDE / 2);
      pen.moveTo(SIDE / 2, a);
      pen.lineTo(SIDE / 2, b);
    }
    pen.stroke();
    const room = finder.gate.getBoundingClientRect();
    const left = x + AWAY + SIDE > room.width ? x - AWAY - SIDE : x + AWAY;
    const top = y - AWAY - SIDE < 0 ? y + AWAY : y - AWAY - SIDE;
    Object.assign(glass.style, { left: `${left}px`, top: `${top}px` });
    glass.hidden = false;
  }

  hide() {
    this.glass.hidden = true;
  }
}
