// Tiles of large pictures: fetched when they come into sight, kept while there is room.
export const SIDE = 512;
const ROOM = 500;
const kept = new Map();

function tile(address, arrived) {
  let found = kept.get(address);
  if (found) {
    kept.delete(address);
    kept.set(address, found);
    return found;
  }
  found = { image: null };
  kept.set(address, found);
  fetch(address)
    .then((answer) => (answer.ok ? answer.blob() : Promise.reject(new Error(address))))
    .then((blob) => createImageBitmap(blob))
    .then((image) => {
      found.image = image;
      arrived();
    })
    .catch(() => kept.delete(address));
  for (const [oldest, { image }] of kept) {
    if (kept.size <= ROOM) break;
    kept.delete(oldest);
    image?.close();
  }
  return found;
}

/** Draw what is in sight of a tiled picture; returns whether all of it was there. */
export function drawTiles(context, board, address, levels, arrived) {
  const { view, width, height, wide, tall, dense } = board;
  const level = Math.min(levels - 1, Math.max(0, Math.floor(Math.log2(1 / (view.scale * dense)) + 0.01)));
  const side = SIDE * 2 ** level;
  const first = [Math.max(0, Math.floor(-view.x / view.scale / side)), Math.max(0, Math.floor(-view.y / view.scale / side))];
  const last = [Math.min(Math.ceil(width / side), Math.ceil((wide - view.x) / view.scale / side)), Math.min(Math.ceil(height / side), Math.ceil((tall - view.y) / view.scale / side))];
  let whole = true;
  for (let row = first[1]; row < last[1]; row++) {
    for (let column = first[0]; column < last[0]; column++) {
      const { image } = tile(address(level, column, row), arrived);
      const box = place(board, level, column, row);
      if (image) context.drawImage(image, 0, 0, ...shown(board, level, column, row, image), ...box);
      else {
        whole = false;
        coarser(context, board, address, levels, level, column, row, box);
      }
    }
  }
  return whole;
}

// Where a tile lies on the screen; edges are rounded so that no seam shows between neighbours.
function place({ view, width, height, dense }, level, column, row) {
  const side = SIDE * 2 ** level;
  const edge = (at, offset) => Math.round((at * view.scale + offset) * dense) / dense;
  const left = edge(column * side, view.x);
  const top = edge(row * side, view.y);
  return [left, top, edge(Math.min(width, (column + 1) * side), view.x) - left, edge(Math.min(height, (row + 1) * side), view.y) - top];
}

// How much of a tile's own pixels is picture: at the edges a coarse pixel can reach beyond it.
function shown({ width, height }, level, column, row, image) {
  const side = SIDE * 2 ** level;
  return [Math.min(image.width, (Math.min(width, (column + 1) * side) - column * side) / 2 ** level), Math.min(image.height, (Math.min(height, (row + 1) * side) - row * side) / 2 ** level)];
}

// Until a tile is here, the part of a coarser one that covers it stands in.
function coarser(context, board, address, levels, level, column, row, box) {
  for (let up = level + 1; up < levels; up++) {
    const by = 2 ** (up - level);
    const image = kept.get(address(up, Math.floor(column / by), Math.floor(row / by)))?.image;
    if (!image) continue;
    const part = SIDE / by;
    const [w, h] = shown(board, level, column, row, { width: SIDE, height: SIDE }).map((n) => n / by);
    context.drawImage(image, (column % by) * part, (row % by) * part, Math.max(w, 0.5), Math.max(h, 0.5), ...box);
    return;
  }
}
