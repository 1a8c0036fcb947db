import * as THREE from "three";

import type { FaceColor } from "./face_colors";
import type { SurfaceGeometry } from "./surface_geometry";

/** Squares along the longer side of a map. */
const SQUARES = { checker: 16, letters: 8 };
const SIDE = 1024;

/** A picture to look at UVs through: a checker, or squares that can be told apart. Squares are square in the map. */
export function uvPicture(kind: "checker" | "letters", width: number, height: number): THREE.Texture {
  const canvas = document.createElement("canvas");
  canvas.width = width >= height ? SIDE : (SIDE * width) / height;
  canvas.height = height >= width ? SIDE : (SIDE * height) / width;
  const context = canvas.getContext("2d")!;
  const cell = SIDE / SQUARES[kind];
  for (let row = 0; row * cell < canvas.height; row++) {
    for (let column = 0; column * cell < canvas.width; column++) {
      if (kind === "letters") tile(context, row, column, cell);
      else {
        context.fillStyle = (row + column) % 2 ? "#5d6663" : "#d8dcda";
        context.fillRect(column * cell, row * cell, cell, cell);
      }
    }
  }
  return mapped(canvas);
}

function mapped(canvas: HTMLCanvasElement): THREE.Texture {
  const texture = new THREE.CanvasTexture(canvas);
  texture.colorSpace = THREE.SRGBColorSpace;
  texture.wrapS = texture.wrapT = THREE.RepeatWrapping;
  // Our UVs count from the top, as the canvas does.
  texture.flipY = false;
  return texture;
}

/** What a surface shows whose picture is missing: hatched, with its name, so that nobody takes it for paint. */
export function hatchedPicture(name: string): THREE.Texture {
  const canvas = document.createElement("canvas");
  canvas.width = canvas.height = SIDE;
  const context = canvas.getContext("2d")!;
  context.fillStyle = "#a9afad";
  context.fillRect(0, 0, SIDE, SIDE);
  context.strokeStyle = "#d3d7d5";
  context.lineWidth = 14;
  for (let x = -SIDE; x < SIDE; x += SIDE / 16) {
    context.beginPath();
    context.moveTo(x, 0);
    context.lineTo(x + SIDE, SIDE);
    context.stroke();
  }
  context.font = '500 44px "Instrument Sans Variable", sans-serif';
  context.textAlign = "center";
  context.textBaseline = "middle";
  for (let row = 0; row < 4; row++) {
    for (let column = 0; column < 3; column++) {
      const [x, y] = [((column + 0.5) * SIDE) / 3, ((row + 0.5) * SIDE) / 4];
      const width = context.measureText(name).width + 28;
      context.fillStyle = "#e9ebea";
      context.fillRect(x - width / 2, y - 32, width, 64);
      context.fillStyle = "#1e2422";
      context.fillText(name, x, y);
    }
  }
  return mapped(canvas);
}

/** Columns differ in hue, rows in lightness; each tile is a mooring plate with a chevron that points up. */
function tile(context: CanvasRenderingContext2D, row: number, column: number, cell: number): void {
  const [x, y] = [column * cell, row * cell];
  const lightness = 0.83 - 0.05 * row;
  const hue = 60 + column * 40;
  context.fillStyle = `oklch(${lightness} 0.045 ${hue})`;
  context.fillRect(x, y, cell, cell);
  context.fillStyle = `oklch(${Math.min(lightness + 0.09, 0.96)} 0.03 ${hue})`;
  context.beginPath();
  context.roundRect(x + cell * 0.1, y + cell * 0.1, cell * 0.8, cell * 0.8, cell * 0.22);
  context.fill();
  context.strokeStyle = context.fillStyle = "#1e2422";
  context.lineWidth = cell * 0.045;
  context.beginPath();
  context.moveTo(x + cell * 0.38, y + cell * 0.3);
  context.lineTo(x + cell * 0.5, y + cell * 0.19);
  context.lineTo(x + cell * 0.62, y + cell * 0.3);
  context.stroke();
  context.font = `500 ${cell * 0.3}px "Instrument Sans Variable", sans-serif`;
  context.textAlign = "center";
  context.textBaseline = "middle";
  context.fillText(`${String.fromCharCode(65 + row)}${column + 1}`, x + cell * 0.5, y + cell * 0.58);
}

export interface Heat {
  /** By triangle of the surface as shown. */
  stretch: Float32Array;
  /** Texels per model unit. */
  density: Float32Array;
}

/** Largest over smallest singular value, and texel density, of each triangle. */
export function heatOf({ geometry, index, uv }: SurfaceGeometry, width: number, height: number): Heat {
  const places = geometry.getAttribute("position") as THREE.BufferAttribute;
  const count = index.count / 3;
  const heat = { stretch: new Float32Array(count), density: new Float32Array(count) };
  const [p0, p1, p2] = [new THREE.Vector3(), new THREE.Vector3(), new THREE.Vector3()];
  for (let t = 0; t < count; t++) {
    const [a, b, c] = [index.getX(3 * t), index.getX(3 * t + 1), index.getX(3 * t + 2)];
    p0.fromBufferAttribute(places, a);
    p1.fromBufferAttribute(places, b).sub(p0);
    p2.fromBufferAttribute(places, c).sub(p0);
    const [e1x, e1y] = [(uv.getX(b) - uv.getX(a)) * width, (uv.getY(b) - uv.getY(a)) * height];
    const [e2x, e2y] = [(uv.getX(c) - uv.getX(a)) * width, (uv.getY(c) - uv.getY(a)) * height];
    const area = e1x * e2y - e1y * e2x;
    const dx = p1.clone().multiplyScalar(e2y / area).addScaledVector(p2, -e1y / area);
    const dy = p2.clone().multiplyScalar(e1x / area).addScaledVector(p1, -e2x / area);
    const [g11, g12, g22] = [dx.dot(dx), dx.dot(dy), dy.dot(dy)];
    const middle = (g11 + g22) / 2;
    const half = Math.hypot((g11 - g22) / 2, g12);
    const large = Math.sqrt(middle + half);
    const small = Math.sqrt(Math.max(middle - half, 1e-30));
    heat.stretch[t] = Math.abs(area) > 1e-9 ? large / small : Infinity;
    heat.density[t] = 1 / Math.sqrt(Math.max(large * small, 1e-30));
  }
  return heat;
}

/** Texels per model unit of the faces that are wanted, all together. */
export function densityOf(
  { geometry, index, uv, face }: SurfaceGeometry,
  width: number,
  height: number,
  wanted: (face: number) => boolean,
): number {
  const places = geometry.getAttribute("position") as THREE.BufferAttribute;
  const triangle = new THREE.Triangle();
  let [solid, flat] = [0, 0];
  face.forEach((number, t) => {
    if (!wanted(number)) return;
    const [a, b, c] = [index.getX(3 * t), index.getX(3 * t + 1), index.getX(3 * t + 2)];
    triangle.setFromAttributeAndIndices(places, a, b, c);
    solid += triangle.getArea();
    const [e1x, e1y] = [uv.getX(b) - uv.getX(a), uv.getY(b) - uv.getY(a)];
    const [e2x, e2y] = [uv.getX(c) - uv.getX(a), uv.getY(c) - uv.getY(a)];
    flat += (Math.abs(e1x * e2y - e1y * e2x) / 2) * width * height;
  });
  return solid > 0 ? Math.sqrt(flat / solid) : 0;
}

/** 1 is calm, 2 and more is strong. */
export function stretchColor(stretch: number): FaceColor {
  return ramp(Math.min(1, Math.max(0, stretch - 1)));
}

/** Half the usual density is at one end, twice at the other. */
export function densityColor(density: number, usual: number): FaceColor {
  const share = Math.min(1, Math.max(-1, Math.log2(density / usual)));
  return share >= 0 ? mix(CALM, FINE, share) : mix(CALM, STRONG, -share);
}

type Rgb = readonly [number, number, number];
const CALM: Rgb = [86, 160, 146];
const MIDDLE: Rgb = [228, 199, 104];
const STRONG: Rgb = [190, 70, 48];
const FINE: Rgb = [70, 96, 168];

function ramp(share: number): FaceColor {
  return share < 0.5 ? mix(CALM, MIDDLE, share * 2) : mix(MIDDLE, STRONG, share * 2 - 1);
}

function mix(a: Rgb, b: Rgb, share: number): FaceColor {
  return [0, 1, 2].map((c) => Math.round(a[c]! + (b[c]! - a[c]!) * share)).concat(235) as unknown as FaceColor;
}
