import * as THREE from "three";

import type { SurfaceFrame } from "../api/schema.generated";

/** Radians from side to side of a frame below which it lies flat. */
const LEAST = 1e-4;

/**
 * How a frame lies along a curve, as the engine has it (core/mapping/bending.py): its radius, below 0 in a hollow, and the
 * way across its axis, right and up; null about a point.
 */
export interface Bend {
  radius: number;
  across: { x: number; y: number } | null;
}

export function bendOf({ shape, radius = 1, axis, width, height }: SurfaceFrame): Bend | null {
  if (!shape || shape === "planar" || Math.max(width, height) < LEAST * Math.abs(radius)) return null;
  const lean = THREE.MathUtils.degToRad(axis ?? 0);
  return { radius, across: shape === "wrap" ? null : { x: Math.cos(lean), y: -Math.sin(lean) } };
}

/** Across its axis, or from its middle: how far, and which way. */
function across(bend: Bend, x: number, y: number): [number, number, number] {
  if (bend.across) return [x * bend.across.x + y * bend.across.y, bend.across.x, bend.across.y];
  const far = Math.hypot(x, y);
  return far > 0 ? [far, x / far, y / far] : [0, 1, 0];
}

/** Where a place along the curve, and above it, lies in space. */
export function rolledUp(bend: Bend, x: number, y: number, z: number): [number, number, number] {
  const [arc, a, b] = across(bend, x, y);
  const { radius } = bend;
  const more = (radius + z) * Math.sin(arc / radius) - arc;
  return [x + more * a, y + more * b, (radius + z) * Math.cos(arc / radius) - radius];
}

/** Where a place in space lies along the curve, and above it. */
export function rolledOut(bend: Bend, x: number, y: number, z: number): [number, number, number] {
  const [s, a, b] = across(bend, x, y);
  const { radius } = bend;
  const [side, up] = [s / radius, 1 + z / radius];
  const more = Math.atan2(side, up) * radius - s;
  return [x + more * a, y + more * b, (Math.hypot(side, up) - 1) * radius];
}

/** Where a ray meets the curve on the side that is its front; beside it, where it comes nearest. */
export function metBy(bend: Bend, origin: THREE.Vector3, way: THREE.Vector3): THREE.Vector3 {
  const flat = (v: THREE.Vector3): number[] => (bend.across ? [v.x * bend.across.x + v.y * bend.across.y, v.z] : [v.x, v.y, v.z]);
  const dot = (u: number[], v: number[]) => u.reduce((sum, value, i) => sum + value * v[i]!, 0);
  const o = flat(new THREE.Vector3(0, 0, bend.radius).add(origin));
  const d = flat(way);
  const [dd, od, oo] = [dot(d, d), dot(o, d), dot(o, o)];
  const root = Math.sqrt(Math.max(od * od - dd * (oo - bend.radius ** 2), 0));
  const t = (-od + (bend.radius > 0 ? -root : root)) / Math.max(dd, 1e-30);
  return way.clone().multiplyScalar(t).add(origin);
}
