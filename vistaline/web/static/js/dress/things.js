// The lamps of a shot, what else is in its light and air, and its effects, as the plans, the viewfinder and the keys
// take them: by what rows call each, such as `lamp:l1` or `shaft:d2`.
const OTHERS = /^(layer|mount|camera|style|group):/;

export const isThing = (of) => of.includes(":") && !OTHERS.test(of);

/** What of a frame has a place: lamps but those from everywhere, then all that stands in the air. */
export const thingsIn = ({ lights, air }) => [
  ...lights.filter(({ kind }) => kind !== 3).map((light) => ({ ...light, of: `lamp:${light.id}`, lines: [] })),
  ...air.marks.map((mark) => ({ ...mark, of: mark.id })),
];

/** An edit of a thing: its verb and whom it is for. */
export function editOf(of, deed) {
  return of.startsWith("lamp:") ? [deed.replace("*", "lamp"), { lamp: of.slice(5) }] : [deed.replace("*", "dressing"), { thing: of }];
}
