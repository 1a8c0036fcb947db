import * as THREE from "three";

import type { SurfaceGeometry } from "./surface_geometry";

/** Cells along each side of the map. */
const CELLS = 64;
/** Twins at most that are looked for. */
const MOST = 11;

export interface Twin {
  center: THREE.Vector3;
  normal: THREE.Vector3;
}

/** Where else on a surface a texel shows: faces by the cells of the map over which their UVs lie. The map repeats. */
export class Twins {
  private readonly cells = new Map<number, number[]>();

  constructor(private readonly surface: SurfaceGeometry) {
    for (let t = 0; t < surface.face.length; t++) {
      const [a, b, c] = this.uvs(t);
      const cells = (one: number, other: number, third: number) => {
        const first = Math.floor(Math.min(one, other, third) * CELLS);
        const last = Math.floor(Math.max(one, other, third) * CELLS);
        return Array.from({ length: Math.min(last - first + 1, CELLS) }, (_, k) => wrapped(first + k));
      };
      if (![a, b, c].every(({ x, y }) => Number.isFinite(x + y))) continue;
      for (const row of cells(a.y, b.y, c.y)) for (const column of cells(a.x, b.x, c.x)) this.add(row * CELLS + column, t);
    }
  }

  /** All places but that of `face` that show the texel at a place of the map. */
  of(uv: THREE.Vector2, face: number): Twin[] {
    const cell = wrapped(Math.floor(uv.y * CELLS)) * CELLS + wrapped(Math.floor(uv.x * CELLS));
    const found: Twin[] = [];
    for (const t of this.cells.get(cell) ?? []) {
      if (this.surface.face[t] === face || found.length >= MOST) continue;
      const twin = this.placeOn(t, uv);
      if (twin) found.push(twin);
    }
    return found;
  }

  private add(cell: number, triangle: number): void {
    const list = this.cells.get(cell);
    if (list) list.push(triangle);
    else this.cells.set(cell, [triangle]);
  }

  private uvs(t: number): [THREE.Vector2, THREE.Vector2, THREE.Vector2] {
    const { index, uv } = this.surface;
    const at = (k: number) => new THREE.Vector2().fromBufferAttribute(uv, index.getX(3 * t + k));
    return [at(0), at(1), at(2)];
  }

  /** Where a triangle shows a place of the map, as often as the map repeats before it; null where it does not. */
  private placeOn(t: number, uv: THREE.Vector2): Twin | null {
    const flat = this.uvs(t).map(({ x, y }) => new THREE.Vector3(x, y, 0)) as [THREE.Vector3, THREE.Vector3, THREE.Vector3];
    const box = new THREE.Box3().setFromPoints(flat);
    for (let y = Math.ceil(box.min.y - uv.y); y <= box.max.y - uv.y; y++) {
      for (let x = Math.ceil(box.min.x - uv.x); x <= box.max.x - uv.x; x++) {
        const share = THREE.Triangle.getBarycoord(new THREE.Vector3(uv.x + x, uv.y + y, 0), ...flat, new THREE.Vector3());
        if (!share || Math.min(share.x, share.y, share.z) < 0) continue;
        const places = this.surface.geometry.getAttribute("position") as THREE.BufferAttribute;
        const at = (k: number) => new THREE.Vector3().fromBufferAttribute(places, this.surface.index.getX(3 * t + k));
        const triangle = new THREE.Triangle(at(0), at(1), at(2));
        const center = new THREE.Vector3()
          .addScaledVector(triangle.a, share.x)
          .addScaledVector(triangle.b, share.y)
          .addScaledVector(triangle.c, share.z);
        return { center, normal: triangle.getNormal(new THREE.Vector3()) };
      }
    }
    return null;
  }
}

const wrapped = (cell: number) => ((cell % CELLS) + CELLS) % CELLS;
