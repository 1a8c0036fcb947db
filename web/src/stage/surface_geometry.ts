import * as THREE from "three";
import { type MeshBVH, acceleratedRaycast, computeBoundsTree } from "three-mesh-bvh";

import type { SurfaceMesh } from "../api/mesh";

THREE.BufferGeometry.prototype.computeBoundsTree = computeBoundsTree;
THREE.Mesh.prototype.raycast = acceleratedRaycast;

/** Twice the share of the map below which a triangle has no place in it. */
const LEAST_ROOM = 1e-12;

/** A surface of the model on the GPU. Faces of hidden parts are left out of what is drawn and hit. */
export class SurfaceGeometry {
  readonly geometry = new THREE.BufferGeometry();
  /** For each triangle that is shown, its number in the model. */
  face: Uint32Array = new Uint32Array();
  readonly uv: THREE.BufferAttribute;
  private welded: Uint32Array | null = null;

  constructor(
    readonly source: SurfaceMesh,
    part: Uint32Array,
    hidden: ReadonlySet<number>,
  ) {
    this.uv = new THREE.BufferAttribute(source.uv.slice(), 2);
    this.geometry.setAttribute("position", new THREE.BufferAttribute(source.position, 3));
    this.geometry.setAttribute("normal", new THREE.BufferAttribute(source.normal, 3));
    this.geometry.setAttribute("uv", this.uv);
    this.show(part, hidden);
  }

  private show(part: Uint32Array, hidden: ReadonlySet<number>): void {
    const { index, face } = this.source;
    if (hidden.size === 0) {
      this.face = face;
      this.geometry.setIndex(new THREE.BufferAttribute(index, 1));
    } else {
      const shown = [...face.keys()].filter((t) => !hidden.has(part[face[t]!]!));
      this.face = Uint32Array.from(shown, (t) => face[t]!);
      const kept = new Uint32Array(shown.length * 3);
      shown.forEach((t, i) => kept.set(index.subarray(3 * t, 3 * t + 3), 3 * i));
      this.geometry.setIndex(new THREE.BufferAttribute(kept, 1));
    }
    // Indirect: the order of triangles, by which faces are known, stays.
    if (this.face.length) this.geometry.computeBoundsTree({ indirect: true });
  }

  get index(): THREE.BufferAttribute {
    return this.geometry.getIndex()!;
  }

  /** Whether a triangle takes up any of the map; those without UVs do not. */
  hasRoom({ a, b, c }: { a: number; b: number; c: number }): boolean {
    const [ax, ay, bx, by, cx, cy] = [a, b, c].flatMap((v) => [this.uv.getX(v), this.uv.getY(v)]) as [number, number, number, number, number, number];
    return Math.abs((bx - ax) * (cy - ay) - (by - ay) * (cx - ax)) > LEAST_ROOM;
  }

  /** Vertices of the triangles for which `wanted` is true. */
  verticesOf(wanted: (face: number) => boolean): Uint32Array {
    const marks = new Uint8Array(this.uv.count);
    const index = this.index.array;
    this.face.forEach((face, t) => {
      if (wanted(face)) for (let k = 0; k < 3; k++) marks[index[3 * t + k]!] = 1;
    });
    return Uint32Array.from([...marks.keys()].filter((v) => marks[v]));
  }

  /** For each vertex a number that all vertices at its place share. */
  get weld(): Uint32Array {
    if (this.welded) return this.welded;
    const places = this.source.position;
    const known = new Map<string, number>();
    this.welded = Uint32Array.from({ length: this.uv.count }, (_, v) => {
      const key = `${places[3 * v]} ${places[3 * v + 1]} ${places[3 * v + 2]}`;
      const found = known.get(key) ?? v;
      known.set(key, found);
      return found;
    });
    return this.welded;
  }

  /** Their places, (x, y, z) after each other. */
  placesOf(wanted: (face: number) => boolean): Float32Array {
    const vertices = this.verticesOf(wanted);
    const places = new Float32Array(vertices.length * 3);
    vertices.forEach((v, i) => places.set(this.source.position.subarray(3 * v, 3 * v + 3), 3 * i));
    return places;
  }

  /** Where those triangles lie in a map of this size, in texels. */
  boxInMap(wanted: (face: number) => boolean, width: number, height: number): THREE.Box2 {
    const box = new THREE.Box2();
    for (const v of this.verticesOf(wanted)) box.expandByPoint(new THREE.Vector2(this.uv.getX(v) * width, this.uv.getY(v) * height));
    return box;
  }

  dispose(): void {
    (this.geometry as { boundsTree?: MeshBVH }).boundsTree = undefined;
    this.geometry.dispose();
  }
}
