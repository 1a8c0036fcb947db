import * as THREE from "three";
import { LineMaterial, type LineMaterialParameters } from "three/examples/jsm/lines/LineMaterial.js";
import { LineSegments2 } from "three/examples/jsm/lines/LineSegments2.js";
import { LineSegmentsGeometry } from "three/examples/jsm/lines/LineSegmentsGeometry.js";

import type { SurfaceGeometry } from "./surface_geometry";

const WIDTH = 3;
/** What lies under a line and reaches beyond it, so that it is seen on paint of its own color. */
const CASING = { color: 0x1e2422, opacity: 0.5, width: WIDTH + 2 };

type Lines = THREE.Group & { children: LineSegments2[] };

/** Edges of one surface, drawn broad on the model and in the map. */
export class EdgeLines {
  readonly onModel: Lines;
  readonly onMap: Lines;
  /** Pairs of vertices. */
  private ends: number[] = [];
  private size = { width: 1, height: 1 };

  constructor(
    private readonly surface: SurfaceGeometry,
    color: number,
  ) {
    this.onModel = cased(color, true);
    this.onMap = cased(color, false);
    this.show(false);
  }

  /** Draw these edges, by pairs of vertices, from now on. */
  take(ends: number[]): void {
    this.ends = ends;
    this.show(ends.length > 0);
    if (!ends.length) return;
    const places = this.surface.geometry.getAttribute("position") as THREE.BufferAttribute;
    const point = new THREE.Vector3();
    draw(this.onModel, ends.flatMap((v) => point.fromBufferAttribute(places, v).toArray()));
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
    draw(this.onMap, this.ends.flatMap((v) => [uv.getX(v) * width, uv.getY(v) * height, 0.2]));
  }

  dispose(): void {
    for (const { geometry, material } of [...this.onModel.children, ...this.onMap.children]) {
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

function draw(lines: Lines, places: number[]): void {
  const geometry = new LineSegmentsGeometry();
  geometry.setPositions(places);
  for (const each of lines.children) {
    each.geometry.dispose();
    each.geometry = geometry;
  }
}

/** Lines of a color over a darker casing. */
function cased(color: number, depth: boolean): Lines {
  const casing = lines({ color: CASING.color, linewidth: CASING.width, transparent: true, opacity: CASING.opacity }, depth, -3);
  const core = lines({ color, linewidth: WIDTH, transparent: true }, depth, -4);
  return new THREE.Group().add(casing, core) as Lines;
}

function lines(look: LineMaterialParameters, depth: boolean, offset: number): LineSegments2 {
  const material = new LineMaterial({ ...look, depthTest: depth, toneMapped: false });
  material.polygonOffset = depth;
  material.polygonOffsetFactor = material.polygonOffsetUnits = offset;
  const made = new LineSegments2(new LineSegmentsGeometry(), material);
  made.frustumCulled = false;
  made.raycast = () => undefined;
  made.renderOrder = 2 - offset;
  return made;
}
