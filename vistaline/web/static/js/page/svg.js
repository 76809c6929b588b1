const SPACE = "http://www.w3.org/2000/svg";

/** Make an SVG element with attributes and children (elements or text). */
export function svg(name, attributes = {}, ...children) {
  const element = document.createElementNS(SPACE, name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
  element.append(...children);
  return element;
}

/** Round marks on a scale: 1, 2 or 5 times a power of ten, at least `apart` pixels from another. */
export function roundStep(perPixel, apart) {
  const least = perPixel * apart;
  const power = 10 ** Math.floor(Math.log10(least));
  return [1, 2, 5, 10].map((n) => n * power).find((step) => step >= least);
}
