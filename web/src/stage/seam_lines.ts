import * as THREE from "three";
import { LineMaterial } from "three/examples/jsm/lines/LineMaterial.js";
import { LineSegments2 } from "three/examples/jsm/lines/LineSegments2.js";
import { LineSegmentsGeometry } from "three/examples/jsm/lines/LineSegmentsGeometry.js";

import type { SurfaceGeometry } from "./surface_geometry";

const COLOR = 0xf0b429;
const WIDTH = 3;

/** Marked seams on the model and in the map of one surface. */
export class SeamLines {
  readonly onModel: LineSegments2;
  readonly onMap: LineSegments2;
  /** Pairs of vertices. */
  private readonly ends: number[] = [];

  constructor(
    private readonly surface: SurfaceGeometry,
    seams: Uint32Array,
  ) {
    const { geometry, index, face } = surface;
    const sides = new Map<number, number[]>();
    for (const seam of seams) sides.set(Math.floor(seam / 3), [...(sides.get(Math.floor(seam / 3)) ?? []), seam % 3]);
    const places = geometry.getAttribute("position") as THREE.BufferAttribute;
    const solid: number[] = [];
    const point = new THREE.Vector3();
    face.forEach((number, t) => {
      for (const side of sides.get(number) ?? []) {
        for (const v of [index.getX(3 * t + side), index.getX(3 * t + ((side + 1) % 3))]) {
          this.ends.push(v);
          solid.push(...point.fromBufferAttribute(places, v).toArray());
        }
      }
    });
    this.onModel = lines(true);
    this.onMap = lines(false);
    this.show(false);
    if (solid.length) this.onModel.geometry.setPositions(solid);
  }

  show(wanted: boolean): void {
    this.onModel.visible = this.onMap.visible = wanted && this.ends.length > 0;
  }

  follow(width: number, height: number): void {
    if (!this.ends.length) return;
    const { uv } = this.surface;
    this.onMap.geometry.setPositions(this.ends.flatMap((v) => [uv.getX(v) * width, uv.getY(v) * height, 0.2]));
  }

  dispose(): void {
    for (const { geometry, material } of [this.onModel, this.onMap]) {
      geometry.dispose();
      material.dispose();
    }
  }
}

function lines(depth: boolean): LineSegments2 {
  const material = new LineMaterial({ color: COLOR, linewidth: WIDTH, depthTest: depth });
  material.polygonOffset = depth;
  material.polygonOffsetFactor = material.polygonOffsetUnits = -4;
  const made = new LineSegments2(new LineSegmentsGeometry(), material);
  made.frustumCulled = false;
  made.raycast = () => undefined;
  made.renderOrder = 2;
  return made;
}
