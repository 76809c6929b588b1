// Blend modes for the live view, numbered as the server numbers them. Formulas: W3C Compositing
// and Blending Level 1, section 10, on encoded values; add and subtract work on light.
export const BLEND = `
  vec3 toSrgb(vec3 c) {
    vec3 high = 1.055 * pow(max(c, 0.0031308), vec3(1.0 / 2.4)) - 0.055;
    return mix(high, c * 12.92, vec3(lessThanEqual(c, vec3(0.0031308))));
  }
  vec3 toLight(vec3 c) {
    vec3 high = pow((max(c, 0.04045) + 0.055) / 1.055, vec3(2.4));
    return mix(high, max(c, 0.0) / 12.92, vec3(lessThanEqual(c, vec3(0.04045))));
  }
  float hardLight(float b, float s) { return s <= 0.5 ? 2.0 * b * s : b + (2.0 * s - 1.0) - b * (2.0 * s - 1.0); }
  float blendChannel(int mode, float b, float s) {
    if (mode == 1) return b * s;
    if (mode == 2) return b + s - b * s;
    if (mode == 3) return hardLight(s, b);
    if (mode == 4) return min(b, s);
    if (mode == 5) return max(b, s);
    if (mode == 6) return b <= 0.0 ? 0.0 : s >= 1.0 ? 1.0 : min(1.0, b / (1.0 - s));
    if (mode == 7) return b >= 1.0 ? 1.0 : s <= 0.0 ? 0.0 : 1.0 - min(1.0, (1.0 - b) / s);
    if (mode == 8) return hardLight(b, s);
    if (mode == 9) {
      if (s <= 0.5) return b - (1.0 - 2.0 * s) * b * (1.0 - b);
      return b + (2.0 * s - 1.0) * ((b <= 0.25 ? ((16.0 * b - 12.0) * b + 4.0) * b : sqrt(b)) - b);
    }
    if (mode == 10) return abs(b - s);
    if (mode == 11) return b + s - 2.0 * b * s;
    return s;
  }
  float lightness(vec3 c) { return dot(c, vec3(0.3, 0.59, 0.11)); }
  float lowest(vec3 c) { return min(c.r, min(c.g, c.b)); }
  float highest(vec3 c) { return max(c.r, max(c.g, c.b)); }
  vec3 withLightness(vec3 c, float wanted) {
    c += wanted - lightness(c);
    float l = lightness(c); float low = lowest(c); float high = highest(c);
    if (low < 0.0) c = l + (c - l) * l / (l - low);
    if (high > 1.0) c = l + (c - l) * (1.0 - l) / (high - l);
    return c;
  }
  vec3 withSaturation(vec3 c, float wanted) {
    float low = lowest(c); float high = highest(c);
    return high > low ? (c - low) * wanted / (high - low) : vec3(0.0);
  }
  float spread(vec3 c) { return highest(c) - lowest(c); }
  /** Light that a blended colour gives; back and front are light, straight. */
  vec3 blended(int mode, vec3 back, vec3 front) {
    if (mode == 0) return front;
    if (mode == 16) return min(back + front, 1.0);
    if (mode == 17) return max(back - front, 0.0);
    vec3 b = toSrgb(clamp(back, 0.0, 1.0)); vec3 s = toSrgb(clamp(front, 0.0, 1.0));
    if (mode == 12) return toLight(withLightness(withSaturation(s, spread(b)), lightness(b)));
    if (mode == 13) return toLight(withLightness(withSaturation(b, spread(s)), lightness(b)));
    if (mode == 14) return toLight(withLightness(s, lightness(b)));
    if (mode == 15) return toLight(withLightness(b, lightness(s)));
    return toLight(vec3(blendChannel(mode, b.r, s.r), blendChannel(mode, b.g, s.g), blendChannel(mode, b.b, s.b)));
  }`;
