/** The paint socket's binary messages; docs/paint-socket.md describes them. */

export const PROTOCOL = 6;
const SAMPLES = 1;
const PIXELS = 2;
const SAMPLES_HEAD = 16;
const PIXELS_HEAD = 28;
const RECTANGLE_HEAD = 12;
/** A rectangle's form when all of it is one color; those above tell how coarse it is. */
const UNIFORM = 1;

export interface Rectangle {
  surface: number;
  /** 0: base color. 1: values, height in red, roughness in green, metallic in blue, opacity in alpha. 2: normals. */
  picture: number;
  x: number;
  y: number;
  width: number;
  height: number;
  /** RGBA; four bytes only when all texels are the same, one for each 2^coarse along a side when it is coarse. */
  pixels: Uint8Array;
  uniform: boolean;
  /** The level of a smaller picture that it is; 0: every texel. */
  coarse: number;
}

export interface Batch {
  number: number;
  /** Our clock at the newest pointer sample that these pixels show; 0 when there is none. */
  stamp: number;
  /** Milliseconds on the server. */
  engine: number;
  composite: number;
  encode: number;
  rectangles: Rectangle[];
}

/** Samples are x, y, pressure and the pen's tilt x, y in a row. */
export function writeSamples(stroke: number, samples: number[], stamp: number): ArrayBuffer {
  const buffer = new ArrayBuffer(SAMPLES_HEAD + samples.length * 4);
  const view = new DataView(buffer);
  view.setUint8(0, PROTOCOL);
  view.setUint8(1, SAMPLES);
  view.setUint16(2, samples.length / 5, true);
  view.setUint32(4, stroke, true);
  view.setFloat64(8, stamp, true);
  samples.forEach((value, i) => view.setFloat32(SAMPLES_HEAD + 4 * i, value, true));
  return buffer;
}

export function readBatch(buffer: ArrayBuffer): Batch {
  const view = new DataView(buffer);
  if (view.getUint8(0) !== PROTOCOL || view.getUint8(1) !== PIXELS) {
    throw new Error("The server speaks another version of the paint socket. Reload the page.");
  }
  const count = view.getUint16(2, true);
  const batch: Batch = {
    number: view.getUint32(4, true),
    stamp: view.getFloat64(8, true),
    engine: view.getUint32(16, true) / 1000,
    composite: view.getUint32(20, true) / 1000,
    encode: view.getUint32(24, true) / 1000,
    rectangles: [],
  };
  let at = PIXELS_HEAD;
  for (let i = 0; i < count; i++) {
    const form = view.getUint8(at + 3);
    const [uniform, coarse] = [form === UNIFORM, Math.max(0, form - UNIFORM)];
    const width = view.getUint16(at + 8, true);
    const height = view.getUint16(at + 10, true);
    const length = uniform ? 4 : (width * height * 4) / 4 ** coarse;
    batch.rectangles.push({
      surface: view.getUint16(at, true),
      picture: view.getUint8(at + 2),
      x: view.getUint16(at + 4, true),
      y: view.getUint16(at + 6, true),
      width,
      height,
      pixels: new Uint8Array(buffer, at + RECTANGLE_HEAD, length),
      uniform,
      coarse,
    });
    at += RECTANGLE_HEAD + length;
  }
  return batch;
}
