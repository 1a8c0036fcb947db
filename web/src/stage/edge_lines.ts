import * as THREE from "three";
import { LineMaterial } from "three/examples/jsm/lines/LineMaterial.js";
import { LineSegments2 } from "three/examples/jsm/lines/LineSegments2.js";
import { LineSegmentsGeometry } from "three/examples/jsm/lines/LineSegmentsGeometry.js";

import type { SurfaceGeometry } from "./surface_geometry";

const WIDTH = 3;

/** Edges of one surface, drawn broad on the model and in the map. */
export class EdgeLines {
  readonly onModel: LineSegments2;
  readonly onMap: LineSegments2;
  /** Pairs of vertices. */
  private ends: number[] = [];
  private size = { width: 1, height: 1 };

  constructor(
    private readonly surface: SurfaceGeometry,
    color: number,
  ) {
    this.onModel = lines(color, true);
    this.onMap = lines(color, false);
    this.show(false);
  }

  /** Draw these edges, by pairs of vertices, from now on. */
  take(ends: number[]): void {
    this.ends = ends;
    this.show(ends.length > 0);
    if (!ends.length) return;
    const places = this.surface.geometry.getAttribute("position") as THREE.BufferAttribute;
    const point = new THREE.Vector3();
    this.onModel.geometry.dispose();
    this.onModel.geometry = new LineSegmentsGeometry();
    this.onModel.geometry.setPositions(ends.flatMap((v) => point.fromBufferAttribute(places, v).toArray()));
    this.follow(this.size.width, this.size.height);
  }

  show(wanted: boolean): void {
    this.onModel.visible = this.onMap.visible = wanted && this.ends.length > 0;
  }

  /** Place the map's lines as the UVs are now. */
  follow(width: number, height: number): void {
    this.size = { width, height };
    if (!this.ends.length) return;
    const { uv } = this.surface;
    this.onMap.geometry.dispose();
    this.onMap.geometry = new LineSegmentsGeometry();
    this.onMap.geometry.setPositions(this.ends.flatMap((v) => [uv.getX(v) * width, uv.getY(v) * height, 0.2]));
  }

  dispose(): void {
    for (const { geometry, material } of [this.onModel, this.onMap]) {
      geometry.dispose();
      material.dispose();
    }
  }
}

/** Ends of marked seams: sides are face · 3 + side. */
export function seamEnds({ index, face }: SurfaceGeometry, seams: Uint32Array): number[] {
  const sides = new Map<number, number[]>();
  for (const seam of seams) sides.set(Math.floor(seam / 3), [...(sides.get(Math.floor(seam / 3)) ?? []), seam % 3]);
  const ends: number[] = [];
  face.forEach((number, t) => {
    for (const side of sides.get(number) ?? []) ends.push(index.getX(3 * t + side), index.getX(3 * t + ((side + 1) % 3)));
  });
  return ends;
}

/** Ends of the edges around faces: those that only one of them has. `weld` numbers vertices by their places. */
export function rimEnds({ index, face }: SurfaceGeometry, weld: Uint32Array, wanted: (face: number) => boolean): number[] {
  const once = new Map<number, [number, number]>();
  face.forEach((number, t) => {
    if (!wanted(number)) return;
    for (let side = 0; side < 3; side++) {
      const [a, b] = [index.getX(3 * t + side), index.getX(3 * t + ((side + 1) % 3))];
      const [one, other] = [weld[a]!, weld[b]!];
      const key = Math.min(one, other) * weld.length + Math.max(one, other);
      if (!once.delete(key)) once.set(key, [a, b]);
    }
  });
  return [...once.values()].flat();
}

function lines(color: number, depth: boolean): LineSegments2 {
  const material = new LineMaterial({ color, linewidth: WIDTH, depthTest: depth, toneMapped: false });
  material.polygonOffset = depth;
  material.polygonOffsetFactor = material.polygonOffsetUnits = -4;
  const made = new LineSegments2(new LineSegmentsGeometry(), material);
  made.frustumCulled = false;
  made.raycast = () => undefined;
  made.renderOrder = 2;
  return made;
}
