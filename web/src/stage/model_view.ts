import * as THREE from "three";

import type { StageMesh } from "../api/mesh";
import type { Camera, Mirror } from "../api/schema.generated";
import type { Look, SurroundingsName } from "../state/desk";
import { BrushRing, type Ring } from "./brush_ring";
import { DressedSurface } from "./dressed_surface";
import { mirrorMatrices } from "./mirror";
import { Orbit } from "./orbit";
import type { Retired } from "./retired";
import { SurfaceGeometry } from "./surface_geometry";
import type { SurfaceMaps } from "./surface_maps";
import { lightDirection, surroundings } from "./surroundings";
import type { Twin } from "./twins";
import type { Pictures } from "./version_maps";

const STAGE = 0x8b8f8e;

/** A mirrored ring goes astray where the body has no match this near, as a share of its size; the engine's own measure. */
const NEAR = 0.01;

export interface Hit {
  point: THREE.Vector3;
  normal: THREE.Vector3;
  surface: number;
  /** Its number in the model. */
  face: number;
  uv: THREE.Vector2 | null;
}

/** The model on the stage: one mesh per surface, its light, and the brush ring on it. */
export class ModelView {
  readonly scene = new THREE.Scene();
  readonly orbit = new Orbit();
  readonly ring = new BrushRing();
  geometries: SurfaceGeometry[] = [];
  bounds = new THREE.Box3();
  private readonly caster = new THREE.Raycaster();
  private dressed: DressedSurface[] = [];
  private readonly light = new THREE.DirectionalLight(0xffffff, 1.1);
  private around: SurroundingsName | null = null;

  constructor(
    private readonly renderer: THREE.WebGLRenderer,
    private readonly withSurroundings: boolean,
    private readonly retired: Retired,
  ) {
    this.scene.background = new THREE.Color(STAGE);
    this.caster.firstHitOnly = true;
    if (withSurroundings) this.scene.environmentIntensity = 0.85;
    else this.scene.add(new THREE.HemisphereLight(0xffffff, 0x666660, 1.6));
    // The light goes with the camera, from over the painter's shoulder, so no side is ever black.
    this.orbit.camera.add(this.light, this.light.target);
    this.light.target.position.set(0, 0, -1);
    this.scene.add(this.orbit.camera);
  }

  /** Show a model, each surface dressed with its maps. */
  take(model: StageMesh, maps: SurfaceMaps[], hidden: ReadonlySet<number>): void {
    this.undress();
    this.geometries = model.surfaces.map((surface) => new SurfaceGeometry(surface, model.part, hidden));
    this.dressed = this.geometries.map((geometry, i) => new DressedSurface(geometry, maps[i]!, model.polygon, this.ring));
    for (const { mesh } of this.dressed) this.scene.add(mesh);
    this.bounds = new THREE.Box3();
    for (const { source } of this.geometries) this.bounds.union(new THREE.Box3().setFromArray(source.position));
    this.orbit.take(this.bounds, this.geometries.map(({ source }) => source.position));
  }

  /** The model's diagonal. */
  get size(): number {
    return this.bounds.isEmpty() ? 2 : this.bounds.getSize(new THREE.Vector3()).length();
  }

  get triangles(): number {
    return this.geometries.reduce((sum, { face }) => sum + face.length, 0);
  }

  private undress(): void {
    for (const { mesh } of this.dressed) this.scene.remove(mesh);
    this.retired.add([...this.dressed, ...this.geometries]);
  }

  /** uvPictures: by surface, a picture to be shown in the paint's stead; null shows the paint. */
  shade(look: Look, uvPictures: (THREE.Texture | null)[]): void {
    this.lightUp(look);
    this.dressed.forEach((dressed, i) => dressed.shade(look, uvPictures[i] ?? null));
  }

  /** Show other pictures on the surfaces, or their own again. */
  wear(pictures: Pictures[] | null): void {
    this.dressed.forEach((dressed, i) => dressed.wear(pictures?.[i] ?? null));
  }

  lightUp({ surroundings: name, turn, light }: Look): void {
    if (this.withSurroundings && this.around !== name) {
      this.scene.environment?.dispose();
      this.scene.environment = surroundings(this.renderer, name);
      this.around = name;
    }
    this.scene.environmentRotation.set(0, THREE.MathUtils.degToRad(turn), 0);
    this.light.intensity = light.strength;
    this.light.position.copy(lightDirection(light));
  }

  /** The brush's ring, its images under symmetry (those without a match in the body are marked), and its twins. */
  brushRings(hit: Hit, mirror: Required<Mirror>, twins: Twin[], radius: number): Ring[] {
    const rings = this.imagesOf(hit, mirror).map(({ center, normal, match }, i): Ring => {
      const kind = i === 0 ? "brush" : match ? "image" : "astray";
      return { center, normal, radius, kind };
    });
    return [...rings, ...twins.map((twin): Ring => ({ ...twin, radius, kind: "image" }))];
  }

  /** A place and its images under symmetry, each with what the body has there; it must face the same way. */
  imagesOf(hit: Hit, mirror: Required<Mirror>): { center: THREE.Vector3; normal: THREE.Vector3; match: Hit | null }[] {
    const reach = NEAR * this.size;
    return mirrorMatrices(mirror).map((matrix, i) => {
      const center = hit.point.clone().applyMatrix4(matrix);
      const normal = hit.normal.clone().transformDirection(matrix);
      if (i === 0) return { center, normal, match: hit };
      this.caster.set(center.clone().addScaledVector(normal, reach), normal.clone().negate());
      const found = this.caster.intersectObjects(this.dressed.map(({ mesh }) => mesh), false)[0];
      const matches = found && found.distance <= 2 * reach && found.face && found.face.normal.dot(normal) > 0.5;
      return { center, normal, match: matches ? this.hitOf(found) : null };
    });
  }

  private hitOf(found: THREE.Intersection): Hit | null {
    if (!found.face || found.faceIndex == null) return null;
    const surface = this.dressed.findIndex(({ mesh }) => mesh === found.object);
    const face = this.geometries[surface]!.face[found.faceIndex]!;
    const uv = this.geometries[surface]!.hasRoom(found.face) ? (found.uv ?? null) : null;
    return { point: found.point, normal: found.face.normal.clone(), surface, face, uv };
  }

  resize(width: number, height: number): void {
    this.orbit.reshape(width / height);
  }

  /** What lies under a place of the view, in CSS pixels. */
  hit(x: number, y: number, width: number, height: number): Hit | null {
    this.caster.setFromCamera(new THREE.Vector2((2 * x) / width - 1, 1 - (2 * y) / height), this.orbit.camera);
    const meshes = this.dressed.map(({ mesh }) => mesh).filter(({ visible }) => visible);
    const found = this.caster.intersectObjects(meshes, false)[0];
    return found ? this.hitOf(found) : null;
  }

  /** Size of a CSS pixel in model units at the depth of a point; the server computes the same. */
  pixelAt(point: THREE.Vector3, height: number): number {
    const camera = this.orbit.camera;
    const depth = -point.clone().applyMatrix4(camera.matrixWorldInverse).z;
    return (2 * depth * Math.tan(THREE.MathUtils.degToRad(camera.fov / 2))) / height;
  }

  /** Where a point of the model lies in the view, in CSS pixels. */
  placeOf(point: THREE.Vector3, width: number, height: number): { x: number; y: number } {
    const at = point.clone().project(this.orbit.camera);
    return { x: ((at.x + 1) / 2) * width, y: ((1 - at.y) / 2) * height };
  }

  /** The camera as strokes name it. */
  describe(width: number, height: number): Camera {
    const { camera, target } = this.orbit;
    return {
      eye: camera.position.toArray(),
      target: target.toArray(),
      up: this.orbit.up.toArray(),
      fov_y: camera.fov,
      viewport: [width, height],
    };
  }

  dispose(): void {
    this.scene.environment?.dispose();
    this.undress();
  }
}
