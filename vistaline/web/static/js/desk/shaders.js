// What a graphics card is told of cards, shadows, blends and the passes over a whole frame: in linear
// light, premultiplied.
import { BLEND } from "./blend.js";

// Where the camera's frames begin, in metres (vistaline.core.geometry.ordering.NEAR), and by how much
// of its map's range a relief's sheets lie apart.
const RELIEF = `
  #define NEAREST 0.01
  #define BEHIND 0.02`;
// A card is drawn a little larger than it is, and covers the pixels at its edges by their share.
export const CARD_VERTEX = `
  ${RELIEF}
  uniform mat4 clip; uniform vec2 grow; uniform float deep;
  varying vec2 place;
  #ifdef RAISED
  attribute float sheet; uniform vec2 shape; uniform vec3 apex; uniform float tall; varying float of; varying float raised;
  #ifdef AREAS
  uniform sampler2D areas; uniform vec4 lifts;
  #endif
  #endif
  #ifdef DRAPED
  attribute float fold; uniform float reach; uniform float tall; varying float shade;
  #endif
  #ifdef CAUGHT
  uniform mat4 projector; varying vec3 caught;
  #endif
  #ifdef STANDS
  varying vec3 stands;
  #endif
  void main() {
    #ifdef RAISED
    // Along the ray from the taking camera, at the apex: position is (u, v, nearness).
    float n = position.z;
    #ifdef AREAS
    n = clamp(n + dot(texture2D(areas, position.xy), lifts), 0.0, 1.0);
    #endif
    float q = shape.x + shape.y * n;
    vec3 from = apex * (q - 1.0) / vec3(1.0, tall, 1.0);
    vec4 local = vec4(position.x - 0.5 + from.x, 0.5 - position.y + from.y, from.z * length(modelMatrix[0].xyz), q);
    // Not divided by q: places of the picture run evenly over a triangle before that is done.
    vec4 world = modelMatrix * local;
    of = sheet;
    raised = q;
    place = vec2(position.x, 1.0 - position.y);
    #elif defined(DRAPED)
    // Points in widths of the card, as they hang.
    vec3 at = position * reach;
    vec4 world = modelMatrix * vec4(at.x, at.y / tall, at.z * length(modelMatrix[0].xyz), 1.0);
    place = uv;
    shade = fold * reach;
    #else
    // A body's depth is told in widths of its own.
    float through = position.z * deep * length(modelMatrix[0].xyz);
    vec4 world = modelMatrix * vec4(position.xy * grow, through, 1.0);
    place = position.xy * grow + 0.5;
    #endif
    #ifdef CAUGHT
    caught = (projector * world).xyz;
    #endif
    #ifdef STANDS
    stands = world.xyz;
    #endif
    gl_Position = clip * world;
    #ifdef RAISED
    // A sheet behind the front is before it only where it is nearer by a few pixels of parallax.
    gl_Position.z += 2.0 * NEAREST * BEHIND * shape.y * sheet;
    #endif
  }`;
// What a relief's vertex was not divided by yet is divided by here.
const COVER = `
  #ifdef RAISED
  varying float raised;
  #define INVERSE (gl_FragCoord.w * raised)
  #define PLACE (stands / raised)
  #else
  #define INVERSE gl_FragCoord.w
  #define PLACE stands
  #endif
  #ifdef SOLID
  float covered() { return 1.0; }
  #else
  float covered() {
    vec2 share = clamp(min(place, 1.0 - place) / max(fwidth(place), 1e-7) + 0.5, 0.0, 1.0);
    return share.x * share.y;
  }
  #endif`;
// What a card shows at a point, by how much it covers it: its picture, or what it catches of it
// from the taking camera. Out of focus, its blurred copies are mixed by how large a point's disc is
// there: as many of them as the card needs, as each costs. The copies go on beyond the picture, so
// that its edges are blurred, too.
const LOOK = `
  #ifdef CAUGHT
  varying vec3 caught;
  vec2 where() { return vec2(caught.x, caught.z - caught.y) / caught.z; }
  #else
  vec2 where() { return place; }
  #endif
  #ifdef RAISED
  varying float of; uniform sampler2D sheet1, sheet2;
  // The front is looked through at its rims; there it hides nothing of itself.
  vec4 shown(sampler2D picture, vec2 at) {
    if (of > 1.5) return texture2D(sheet2, at);
    if (of > 0.5) return texture2D(sheet1, at);
    vec4 front = texture2D(picture, at);
    if (front.a < 0.02) discard;
    return front;
  }
  #else
  vec4 shown(sampler2D picture, vec2 at) { return texture2D(picture, at); }
  #endif
  #ifdef DRAPED
  varying float shade;
  // What is lit by its fold; what shows nothing hides nothing of what is behind it.
  vec4 folded(vec4 seen) {
    if (seen.a < 0.02) discard;
    return vec4(min(seen.rgb * shade, seen.a), seen.a);
  }
  #else
  vec4 folded(vec4 seen) { return seen; }
  #endif
  vec4 sharp(sampler2D picture, vec2 at) {
    vec4 seen = shown(picture, at) * covered();
    #ifdef CAUGHT
    bool within = caught.z > 0.0 && at.x >= 0.0 && at.y >= 0.0 && at.x <= 1.0 && at.y <= 1.0;
    return within ? seen : vec4(0.0);
    #else
    return seen;
    #endif
  }
  #ifdef COPIES
  uniform sampler2D copy0, copy1, copy2, copy3, copy4, copy5;
  uniform float pads[6]; uniform vec2 texels; uniform float blur; uniform float infocus; uniform float first;
  vec4 copied(sampler2D copy, float pad, vec2 at) {
    vec2 size = vec2(textureSize(copy, 0));
    return texture2D(copy, (at * (size - 2.0 * pad) + pad) / size);
  }
  float near(float level, float n) { return max(1.0 - abs(level - n), 0.0); }
  vec4 look(sampler2D picture, vec2 unused) {
    vec2 at = where();
    #ifdef RAISED
    if (of > 0.5) return sharp(picture, at);
    #endif
    mat2 step = mat2(dFdx(at) * texels, dFdy(at) * texels);
    float disc = blur * abs(INVERSE - infocus);
    float radius = max(disc * sqrt(abs(determinant(step))), 1e-3);
    // Copy n is blurred by 2 to the power of n + 1 texels; at -1 the picture is sharp.
    float level = radius < 2.0 ? clamp((radius - 0.3) / 1.7, 0.0, 1.0) - 1.0 : log2(radius / 2.0);
    float among = clamp(level - first, 0.0, float(COPIES - 1));
    vec4 mixed = copied(copy0, pads[0], at) * near(among, 0.0);
    ${[1, 2, 3, 4, 5].map((n) => `
    #if COPIES > ${n}
    mixed += copied(copy${n}, pads[${n}], at) * near(among, ${n}.0);
    #endif`).join("")}
    #ifdef CAUGHT
    mixed *= covered() * float(caught.z > 0.0);
    #endif
    #ifdef SHARPEST
    mixed = mix(mixed, sharp(picture, at), disc < 0.3 ? 1.0 : clamp(-level, 0.0, 1.0));
    #endif
    return folded(mixed);
  }
  #else
  vec4 look(sampler2D picture, vec2 unused) { return folded(sharp(picture, where())); }
  #endif`;
// How much of a card its matte lets through; see vistaline.core.render.modify.
const MATTE = `
  uniform vec2 frame;
  #ifdef MATTED
  uniform sampler2D matte; uniform mat3 matteFromFrame; uniform float matteOpacity;
  uniform bool lightness;
  uniform bool inside;
  float encodedLight(vec3 c) {
    vec3 high = 1.055 * pow(max(c, 0.0031308), vec3(1.0 / 2.4)) - 0.055;
    return dot(mix(high, c * 12.92, vec3(lessThanEqual(c, vec3(0.0031308)))), vec3(0.2125, 0.7154, 0.0721));
  }
  float kept() {
    vec3 at = matteFromFrame * vec3(gl_FragCoord.xy / frame * 2.0 - 1.0, 1.0);
    vec2 uv = at.xy / at.z + 0.5;
    vec4 c = texture2D(matte, uv);
    float share = c.a * matteOpacity * (lightness ? encodedLight(min(c.rgb / max(c.a, 1e-4), 1.0)) : 1.0);
    if (at.z <= 0.0 || uv.x < 0.0 || uv.y < 0.0 || uv.x > 1.0 || uv.y > 1.0) share = 0.0;
    return inside ? share : 1.0 - share;
  }
  #else
  float kept() { return 1.0; }
  #endif`;
// While focus is being set: what is before it and behind it in two colours, and a line round the rest.
const TINT = `
  #ifdef TINTED
  uniform float tintBlur; uniform float tintAt; uniform float tintLimit;
  // How much of what is drawn ends within a pixel and a half: by its neighbours, as what a shader
  // knows of differences is told for squares of four pixels at once.
  #ifdef OUTLINED
  float ends(sampler2D picture) {
    vec2 at = where(), size = vec2(textureSize(picture, 0));
    mat2 step = mat2(dFdx(at), dFdy(at)) * 1.5;
    float level = log2(max(max(length(step[0] * size), length(step[1] * size)) / 1.5, 1.0));
    float least = 1.0, most = 0.0;
    for (int n = 0; n < 8; n++) {
      float turn = float(n) * 0.7854;
      float there = textureLod(picture, at + step * vec2(cos(turn), sin(turn)), level).a;
      least = min(least, there); most = max(most, there);
    }
    return smoothstep(0.25, 0.85, most - least);
  }
  #else
  float ends(sampler2D picture) { return 0.0; }
  #endif
  vec4 tinted(sampler2D picture, vec4 seen) {
    float off = tintBlur * (INVERSE - tintAt);
    float beside = smoothstep(1.0, 2.5, abs(off) / tintLimit);
    vec3 hue = off > 0.0 ? vec3(0.85, 0.28, 0.03) : vec3(0.02, 0.16, 0.5);
    float line = ends(picture) * (1.0 - beside);
    return mix(vec4(mix(seen.rgb, hue * seen.a, 0.45 * beside), seen.a), vec4(1.0), line);
  }
  #else
  vec4 tinted(sampler2D picture, vec4 seen) { return seen; }
  #endif`;
// The light of lamps, by the laws of vistaline.core.stage.lamps: LIT is how many there are.
const LIGHT = `
  #ifdef STANDS
  varying vec3 stands;
  #endif
  #ifdef LIT
  uniform vec3 normal; uniform vec3 lampPlace[LIT]; uniform vec3 lampWay[LIT]; uniform vec3 lampColour[LIT];
  uniform vec4 lampLaw[LIT]; uniform vec2 lampCone[LIT]; uniform bool clips;
  vec4 lit(vec4 seen) {
    #ifdef SOLID
    vec3 side = normalize(cross(dFdx(PLACE), dFdy(PLACE)));
    #else
    vec3 side = normal;
    #endif
    vec3 light = vec3(0.0);
    for (int n = 0; n < LIT; n++) {
      vec4 law = lampLaw[n];
      vec3 way = PLACE - lampPlace[n];
      float far = max(length(way), 0.01 * law.z);
      way /= far;
      float share = abs(dot(side, law.x == 2.0 ? lampWay[n] : way));
      if (law.x == 3.0) share = 1.0;
      if (law.x < 2.0 && law.y > 0.0) share *= (law.z / far) * (law.z / far);
      if (law.x < 2.0 && law.y == 2.0) share *= max(1.0 - pow(far / law.w, 4.0), 0.0);
      if (law.x == 1.0) {
        float edge = clamp(dot(way, lampWay[n]) * lampCone[n].x + lampCone[n].y, 0.0, 1.0);
        share *= edge * edge;
      }
      light += lampColour[n] * share;
    }
    vec3 found = seen.rgb * light;
    return vec4(clips ? min(found, vec3(seen.a)) : found, seen.a);
  }
  #else
  vec4 lit(vec4 seen) { return seen; }
  #endif`;
// Fog and the camera's exposure, by the laws of vistaline.core.stage.haze; AIR is one more than there
// are fogs. Of light, kept times and as far as it covers what is behind.
const AIR = `
  #ifdef AIR
  uniform vec4 fogLaw[AIR]; uniform vec3 fogColour[AIR]; uniform vec3 home; uniform float gain; uniform float own;
  uniform bool sky;
  vec4 aired(vec4 seen) {
    vec3 way = PLACE - home;
    float far = length(way);
    float rise = way.y / far;
    if (sky) far = 1e7;
    float depth = 0.0;
    vec3 colour = vec3(0.0);
    for (int n = 0; n < AIR; n++) {
      vec4 law = fogLaw[n];
      if (law.x <= 0.0 || (sky && law.w == 0.0)) continue;
      float part = law.x * far;
      if (law.z > 0.0) {
        float x = law.z * rise * far;
        part *= exp(clamp(-law.z * (home.y - law.y), -40.0, 40.0));
        part *= abs(x) < 0.05 ? 1.0 - x / 2.0 + x * x / 6.0 : (1.0 - exp(min(-x, 40.0))) / x;
      }
      depth += part;
      colour += part * fogColour[n];
    }
    float kept = exp(-min(depth, 80.0));
    vec3 added = depth > 1e-6 ? colour * (1.0 - kept) / depth : vec3(0.0);
    return vec4(min(seen.rgb * kept * own + added * gain * seen.a, vec3(seen.a)), seen.a);
  }
  #else
  vec4 aired(vec4 seen) { return seen; }
  #endif`;
// IEC 61966-2-1, as in vistaline.core.picture.colour.
const CODES = `
  vec3 encoded(vec3 c) {
    vec3 high = 1.055 * pow(max(c, 0.0031308), vec3(1.0 / 2.4)) - 0.055;
    return mix(high, c * 12.92, vec3(lessThanEqual(c, vec3(0.0031308))));
  }
  vec3 decoded(vec3 v) {
    vec3 high = pow((v + 0.055) / 1.055, vec3(2.4));
    return mix(high, v / 12.92, vec3(lessThanEqual(v, vec3(0.04045))));
  }`;
// What effects make of a colour: a table of codes by codes; see vistaline.core.scene.finish.
const TABLE = `
  precision mediump sampler3D;
  uniform sampler3D table;
  vec3 looked(vec3 code) { return texture(table, clamp(code, 0.0, 1.0) * (32.0 / 33.0) + 0.5 / 33.0).rgb; }`;
// Before light falls on it a card's colours are changed by its effects.
const GRADED = `
  #ifdef GRADED
  ${CODES}
  ${TABLE}
  vec4 graded(vec4 seen) {
    if (seen.a <= 0.0) return seen;
    return vec4(decoded(looked(encoded(min(seen.rgb / seen.a, 1.0)))) * seen.a, seen.a);
  }
  #else
  vec4 graded(vec4 seen) { return seen; }
  #endif`;
export const CARD_FRAGMENT = `
  uniform sampler2D picture; uniform float opacity;
  varying vec2 place;
  ${COVER}
  ${LOOK}
  ${MATTE}
  ${TINT}
  ${LIGHT}
  ${AIR}
  ${GRADED}
  void main() { gl_FragColor = tinted(picture, aired(lit(graded(look(picture, place))))) * (opacity * kept()); }`;
// A shadow lies on a card: black where that card is, as far as its own picture says.
export const SHADOW_VERTEX = `
  uniform mat4 clip; uniform mat4 cardFromShadow;
  varying vec2 place; varying vec3 onCard;
  void main() {
    // Of parallel light its last number is 1; a lamp's shadow is thrown in perspective.
    place = uv; onCard = (cardFromShadow * vec4(position, 1.0)).xyw;
    gl_Position = clip * modelMatrix * vec4(position, 1.0);
  }`;
export const SHADOW_FRAGMENT = `
  uniform sampler2D picture; uniform sampler2D shadow; uniform float opacity; uniform float strength;
  varying vec2 place; varying vec3 onCard;
  ${MATTE}
  void main() {
    vec2 own = onCard.xy / onCard.z + 0.5;
    if (own.x < 0.0 || own.y < 0.0 || own.x > 1.0 || own.y > 1.0) discard;
    float cover = texture2D(picture, own).a * opacity * kept();
    gl_FragColor = vec4(0.0, 0.0, 0.0, texture2D(shadow, place).a * strength * cover);
  }`;
// What is behind is opaque: the ground at least.
export const BLENDED_FRAGMENT = `
  uniform sampler2D picture; uniform sampler2D behind; uniform float opacity; uniform int mode;
  varying vec2 place;
  ${COVER}
  ${LOOK}
  ${MATTE}
  ${BLEND}
  ${LIGHT}
  ${AIR}
  ${GRADED}
  void main() {
    vec4 front = aired(lit(graded(look(picture, place))));
    vec3 back = texture2D(behind, gl_FragCoord.xy / frame).rgb;
    float cover = front.a * opacity * kept();
    gl_FragColor = vec4(blended(mode, back, front.rgb / max(front.a, 1e-4)) * cover, cover);
  }`;
// Particles: as large as they are told, soft to their edges; light that is added, or what covers.
export const MOTE_VERTEX = `
  attribute vec4 colour; attribute vec4 spot; uniform vec2 scale; uniform float across;
  varying vec4 shown; varying vec2 edge;
  void main() {
    shown = colour; edge = vec2(max(spot.y, 1.0 / max(spot.x * across, 1.0)), spot.z);
    gl_Position = vec4((position.xy * 2.0 - 1.0) * scale, 0.0, 1.0);
    gl_PointSize = max(2.0 * spot.x * across, 1.5);
  }`;
export const MOTE_FRAGMENT = `
  varying vec4 shown; varying vec2 edge;
  void main() {
    float away = length(gl_PointCoord * 2.0 - 1.0);
    float fade = smoothstep(0.0, 1.0, (1.0 - away) / edge.x) * shown.a;
    if (fade <= 0.0) discard;
    gl_FragColor = vec4(shown.rgb * fade, fade * (1.0 - edge.y));
  }`;
// What shines over the frame, roughly: what is bright, blurred or drawn out, at a part of its size.
const BRIGHT = `
  uniform vec2 limits;
  vec3 bright(vec3 c) {
    float light = max(max(c.r, c.g), c.b);
    float soft = clamp(light - limits.x + limits.y, 0.0, 2.0 * limits.y);
    return c * max(soft * soft / (4.0 * limits.y), light - limits.x) / max(light, 1e-4);
  }`;
export const BRIGHT_FRAGMENT = `
  uniform sampler2D picture; varying vec2 place;
  ${BRIGHT}
  void main() {
    vec2 step = 0.25 / vec2(textureSize(picture, 0)) * 4.0;
    vec3 sum = vec3(0.0);
    for (int n = 0; n < 4; n++) sum += bright(texture2D(picture, place + step * (vec2(n % 2, n / 2) - 0.5)).rgb);
    gl_FragColor = vec4(sum / 4.0, 1.0);
  }`;
export const BLUR_FRAGMENT = `
  uniform sampler2D picture; uniform vec2 along; varying vec2 place;
  void main() {
    vec3 sum = vec3(0.0);
    float weights = 0.0;
    for (int n = -12; n <= 12; n++) {
      float share = float(n) / 12.0, weight = exp(-3.0 * abs(share));
      sum += texture2D(picture, place + along * share).rgb * weight;
      weights += weight;
    }
    gl_FragColor = vec4(sum / weights, 1.0);
  }`;
export const RAYS_FRAGMENT = `
  uniform sampler2D picture; uniform vec2 source; uniform float reach; uniform float tall; uniform bool own; varying vec2 place;
  void main() {
    vec2 way = source - place;
    float far = length(way * vec2(1.0, tall));
    vec2 stride = way * min(reach / max(far, 1e-4), 1.0) / 32.0;
    vec3 sum = vec3(0.0);
    for (int n = 0; n < 32; n++) sum += texture2D(picture, place + stride * (float(n) + 0.5)).rgb * (1.0 - (float(n) + 0.5) / 32.0 * min(far / reach, 1.0));
    sum *= min(far / reach, 1.0) * 2.0 / 32.0;
    gl_FragColor = vec4(own ? vec3(max(max(sum.r, sum.g), sum.b)) : sum, 1.0);
  }`;
export const LIGHTEN_FRAGMENT = `
  uniform sampler2D picture; uniform vec3 colour; varying vec2 place;
  void main() { gl_FragColor = vec4(texture2D(picture, place).rgb * colour, 0.0); }`;
export const COPY_FRAGMENT = `
  uniform sampler2D picture; varying vec2 place;
  void main() { gl_FragColor = texture2D(picture, place); }`;
export const ADD_FRAGMENT = `
  uniform sampler2D picture; uniform float share; varying vec2 place;
  void main() { gl_FragColor = vec4(texture2D(picture, place).rgb, share); }`;
export const PREMULTIPLY_FRAGMENT = `
  uniform sampler2D picture; varying vec2 place;
  void main() { vec4 c = texture2D(picture, place); gl_FragColor = vec4(c.rgb * c.a, c.a); }`;
// The same of what a canvas gives: codes that are premultiplied already.
export const CANVAS_FRAGMENT = `
  uniform sampler2D picture; varying vec2 place;
  void main() {
    vec4 c = texture2D(picture, place);
    vec3 code = c.rgb / max(c.a, 1e-4);
    vec3 light = mix(pow((code + 0.055) / 1.055, vec3(2.4)), code / 12.92, vec3(lessThanEqual(code, vec3(0.04045))));
    gl_FragColor = vec4(light * c.a, c.a);
  }`;
export const OUT_VERTEX = `varying vec2 place; void main() { place = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }`;
export const OUT_FRAGMENT = `
  uniform sampler2D picture; uniform bool checks; uniform bool marks; varying vec2 place;
  uniform bool tabled; uniform vec2 inner; uniform float grain; uniform float turn;
  uniform vec4 vignettePlace[3]; uniform vec4 vignetteColour[3]; uniform float vignetteSoft[3];
  ${CODES}
  ${TABLE}
  float hashed(vec2 at) {
    vec3 p = fract(vec3(at.xyx) * 0.1031);
    p += dot(p, p.yzx + 33.33);
    return fract((p.x + p.y) * p.z);
  }
  vec3 finished(vec3 c) {
    vec2 at = (place - 0.5) / inner + 0.5;
    if (tabled) c = decoded(looked(encoded(c)));
    for (int n = 0; n < 3; n++) {
      if (vignetteColour[n].a <= 0.0) continue;
      float away = length((at - vignettePlace[n].xy) / vignettePlace[n].zw);
      float inside = smoothstep(0.0, 1.0, (1.0 - away) / vignetteSoft[n]);
      c = mix(c, vignetteColour[n].rgb, (1.0 - inside) * vignetteColour[n].a);
    }
    if (grain > 0.0) {
      vec2 spot = gl_FragCoord.xy + turn * vec2(17.0, 59.0);
      // Four of them are nearly as even as nature's.
      float sum = hashed(spot) + hashed(spot + 41.3) + hashed(spot + 77.7) + hashed(spot + 113.1) - 2.0;
      c = decoded(clamp(encoded(c) + sum * 1.73 * grain, 0.0, 1.0));
    }
    return c;
  }
  void main() {
    vec4 pixel = texture2D(picture, place);
    vec2 square = floor(gl_FragCoord.xy / 10.0);
    float check = mod(square.x + square.y, 2.0) < 0.5 ? 0.6 : 0.35;
    vec3 c = pixel.rgb + (checks ? (1.0 - pixel.a) * check : 0.0);
    if (tabled || grain > 0.0 || vignetteColour[0].a > 0.0) c = finished(c);
    // What is clipped is hatched, dark on light, so that it shows on white and on any colour.
    float stripe = mod(gl_FragCoord.x + gl_FragCoord.y, 9.0);
    if (marks && max(c.r, max(c.g, c.b)) > 1.004) c = stripe < 3.0 ? vec3(0.55, 0.02, 0.2) : min(c, 1.0);
    gl_FragColor = vec4(encoded(c), 1.0);
  }`;
