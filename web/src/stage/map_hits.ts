import * as THREE from "three";

import type { SurfaceGeometry } from "./surface_geometry";

interface Size {
  width: number;
  height: number;
}

/** The triangle whose UVs lie under a texel of a surface's map; the last one where several do. */
export function triangleAt({ index, uv, face }: SurfaceGeometry, { width, height }: Size, at: { x: number; y: number }): number | null {
  const [u, v] = [at.x / width, at.y / height];
  for (let t = face.length - 1; t >= 0; t--) {
    const [a, b, c] = [index.getX(3 * t), index.getX(3 * t + 1), index.getX(3 * t + 2)];
    const side = (i: number, j: number) =>
      (uv.getX(j) - uv.getX(i)) * (v - uv.getY(i)) - (uv.getY(j) - uv.getY(i)) * (u - uv.getX(i));
    const [p, q, r] = [side(a, b), side(b, c), side(c, a)];
    if ((p >= 0 && q >= 0 && r >= 0) || (p <= 0 && q <= 0 && r <= 0)) return t;
  }
  return null;
}

/** The place of the model that a texel of a triangle lies at, its normal there, and the UV; null without area. */
export function placeOnTriangle(
  surface: SurfaceGeometry, { width, height }: Size, triangle: number, at: { x: number; y: number },
): { point: THREE.Vector3; normal: THREE.Vector3; uv: THREE.Vector2 } | null { // prettier-ignore
  const places = surface.geometry.getAttribute("position") as THREE.BufferAttribute;
  const corners = [0, 1, 2].map((k) => surface.index.getX(3 * triangle + k));
  const flat = corners.map((v) => new THREE.Vector3(surface.uv.getX(v), surface.uv.getY(v), 0));
  const [a, b, c] = corners.map((v) => new THREE.Vector3().fromBufferAttribute(places, v)) as [THREE.Vector3, THREE.Vector3, THREE.Vector3];
  const uv = new THREE.Vector2(at.x / width, at.y / height);
  const weights = new THREE.Triangle(flat[0], flat[1], flat[2]).getBarycoord(new THREE.Vector3(uv.x, uv.y, 0), new THREE.Vector3());
  if (!weights) return null;
  const point = new THREE.Vector3().addScaledVector(a, weights.x).addScaledVector(b, weights.y).addScaledVector(c, weights.z);
  return { point, normal: new THREE.Triangle(a, b, c).getNormal(new THREE.Vector3()), uv };
}
