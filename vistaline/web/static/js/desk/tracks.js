// What moves on the stage by its keys, as vistaline.core.scene.tracks packs it.

const floats = (packed) => new Float32Array(Uint8Array.from(atob(packed), (c) => c.charCodeAt(0)).buffer);

/** Unpack the tracks of a scene in place, for each of its frames to be asked. `base` has its layers. */
export function unpack(data, base = data) {
  base.byId ??= new Map(base.layers.map((layer) => [layer.id, layer]));
  for (const [name, codes] of Object.entries(data.tables)) if (typeof codes === "string") data.tables[name] = Uint8Array.from(atob(codes), (c) => c.charCodeAt(0));
  for (const entry of Object.values(data.passing)) if (typeof entry.moves === "string") entry.moves = floats(entry.moves);
  data.frames.forEach((record, n) => Object.assign(record, { n, tracks: data.tracks, tables: data.tables, passing: data.passing, base }));
  for (const track of Object.values(data.tracks)) {
    if (track.place) for (const view of Object.keys(track.place)) track.place[view] = floats(track.place[view]);
    else {
      for (const name of ["matrix", "opacity", "raised"]) if (track[name]) track[name] = floats(track[name]);
      for (const group of [track.bars, track.values]) for (const name of Object.keys(group)) group[name] = floats(group[name]);
    }
  }
  return data;
}

/** A layer's matrix (16) in a frame; null if it has no track. */
export function matrixOf(record, id) {
  const track = record.tracks[id];
  if (!track) return null;
  const m = track.matrix.subarray(record.n * 12, record.n * 12 + 12);
  return [m[0], m[1], m[2], 0, m[3], m[4], m[5], 0, m[6], m[7], m[8], 0, m[9], m[10], m[11], 1];
}

/** How a relief is raised in a frame: a and b of 1 / depth, and what its areas add; null if no key tells. */
export function raisedOf(record, id) {
  const { raised, opacity } = record.tracks[id] ?? {};
  if (!raised) return null;
  const each = raised.length / opacity.length;
  return raised.subarray(record.n * each, (record.n + 1) * each);
}

/** Which texture a layer has in a frame; null if its look does not change. */
export function lookOf(record, id) {
  const looks = record.tracks[id]?.looks;
  return looks ? looks.findLast(([from]) => from <= record.n)[1] : null;
}

/** A look's address without the revision it may be drawn from: that is no part of its name. */
export const named = (address) => address.replace(/&at=\d+$/, "");

/** How much of a layer is seen in a frame; null if no key tells. */
export function opacityOf(record, id) {
  return record.tracks[id]?.opacity[record.n] ?? null;
}

/** A layer with the values its keys give it in a frame. */
export function layerIn(record, layer) {
  const track = record.tracks[layer.id];
  if (!track) return layer;
  const now = { ...layer };
  for (const [name, values] of Object.entries(track.values)) now[name] = values[record.n];
  const { pivot_across: across, pivot_up: up } = track.values;
  if (across || up) now.pivot = [across ? across[record.n] : layer.pivot[0], up ? up[record.n] : layer.pivot[1]];
  return now;
}

/** The two ends of a layer's bar on the plan, in a frame. */
export function barOf(data, record, view, id) {
  const track = record.tracks[id];
  if (!track) return data.plan[view].bars[id];
  const [x0, y0, x1, y1] = track.bars[view].subarray(record.n * 4, record.n * 4 + 4);
  return [[x0, y0], [x1, y1]];
}

/** Where a mount is on the plan, in a frame. */
export function mountPlace(data, record, view, id) {
  const track = record.tracks[`mount:${id}`];
  return track ? [...track.place[view].subarray(record.n * 2, record.n * 2 + 2)] : data.plan[view].mounts[id];
}
