/** Hands `uv` on to the fragments as `place`. */
export const PLACE_SHADER = `
  varying vec2 place;
  void main() {
    place = uv;
    gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
  }`;
