import type { SurfaceGeometry } from "./surface_geometry";

/** Ends, as pairs of vertices, of the edges between polygons; edges that only cut a polygon into triangles are none. */
export function polygonEdges({ index, face }: SurfaceGeometry, polygon: Uint32Array): Uint32Array {
  const count = index.count;
  const first = new Map<number, number>();
  const inner = new Set<number>();
  for (let t = 0; t < face.length; t++) {
    for (let side = 0; side < 3; side++) {
      const a = index.getX(3 * t + side);
      const b = index.getX(3 * t + ((side + 1) % 3));
      const key = Math.min(a, b) * count + Math.max(a, b);
      const other = first.get(key);
      if (other === undefined) first.set(key, t);
      else if (polygon[face[other]!] === polygon[face[t]!]) inner.add(key);
    }
  }
  const ends: number[] = [];
  for (const key of first.keys()) if (!inner.has(key)) ends.push(Math.floor(key / count), key % count);
  return Uint32Array.from(ends);
}
