import * as THREE from "three";

import type { StageMesh } from "../api/mesh";
import type { Camera } from "../api/schema.generated";
import type { Shading } from "../state/desk";
import { BrushRing } from "./brush_ring";
import { Orbit } from "./orbit";
import { SurfaceGeometry } from "./surface_geometry";
import type { SurfaceMaps } from "./surface_maps";
import { surroundings } from "./surroundings";

const STAGE = 0x8b8f8e;

interface Dressed {
  mesh: THREE.Mesh;
  lit: THREE.MeshStandardMaterial;
  plain: THREE.MeshBasicMaterial;
  /** A picture shown through the UVs instead of the paint. */
  proof: THREE.MeshStandardMaterial;
}

export interface Hit {
  point: THREE.Vector3;
  normal: THREE.Vector3;
  surface: number;
  /** Its number in the model. */
  face: number;
}

/** The model on the stage: one mesh per surface, its light, and the brush ring on it. */
export class ModelView {
  readonly scene = new THREE.Scene();
  readonly orbit = new Orbit();
  readonly ring = new BrushRing();
  geometries: SurfaceGeometry[] = [];
  bounds = new THREE.Box3();
  private readonly caster = new THREE.Raycaster();
  private dressed: Dressed[] = [];
  private readonly light = new THREE.DirectionalLight(0xffffff, 1.1);

  constructor(renderer: THREE.WebGLRenderer, withSurroundings: boolean) {
    this.scene.background = new THREE.Color(STAGE);
    this.caster.firstHitOnly = true;
    if (withSurroundings) {
      this.scene.environment = surroundings(renderer);
      this.scene.environmentIntensity = 0.85;
    } else {
      this.scene.add(new THREE.HemisphereLight(0xffffff, 0x666660, 1.6));
    }
    // The light goes with the camera, from over the painter's shoulder, so no side is ever black.
    this.light.position.set(-0.6, 0.9, 0.8);
    this.orbit.camera.add(this.light, this.light.target);
    this.light.target.position.set(0, 0, -1);
    this.scene.add(this.orbit.camera);
  }

  /** Show a model, each surface dressed with its maps. */
  take(model: StageMesh, maps: SurfaceMaps[], hidden: ReadonlySet<number>): void {
    this.undress();
    this.geometries = model.surfaces.map((surface) => new SurfaceGeometry(surface, model.part, hidden));
    this.dressed = this.geometries.map((geometry, i) => this.dress(geometry.geometry, maps[i]!));
    this.bounds = new THREE.Box3();
    for (const { source } of this.geometries) {
      for (let i = 0; i < source.position.length; i += 3) {
        this.bounds.expandByPoint(new THREE.Vector3().fromArray(source.position, i));
      }
    }
  }

  frame(): void {
    this.orbit.frame(this.bounds);
  }

  private dress(geometry: THREE.BufferGeometry, maps: SurfaceMaps): Dressed {
    const lit = new THREE.MeshStandardMaterial({
      map: maps.color,
      roughnessMap: maps.values,
      metalnessMap: maps.values,
      roughness: 1,
      metalness: 1,
      side: THREE.DoubleSide,
    });
    const plain = new THREE.MeshBasicMaterial({ map: maps.color, side: THREE.DoubleSide });
    const proof = new THREE.MeshStandardMaterial({ roughness: 0.75, side: THREE.DoubleSide });
    this.ring.drawOn(lit);
    this.ring.drawOn(plain);
    const mesh = new THREE.Mesh(geometry, lit);
    // Without triangles there is nothing to draw, and nothing to hit.
    mesh.visible = (geometry.getIndex()?.count ?? 0) > 0;
    this.scene.add(mesh);
    return { mesh, lit, plain, proof };
  }

  private undress(): void {
    for (const { mesh, lit, plain, proof } of this.dressed) {
      this.scene.remove(mesh);
      for (const material of [lit, plain, proof]) material.dispose();
    }
    for (const geometry of this.geometries) geometry.dispose();
  }

  /** proofs: by surface, a picture to be shown in the paint's stead; null shows the paint. */
  shade(shading: Shading, proofs: (THREE.Texture | null)[] | null): void {
    this.dressed.forEach(({ mesh, lit, plain, proof }, i) => {
      const picture = proofs?.[i] ?? null;
      if (picture && proof.map !== picture) {
        proof.needsUpdate = !proof.map;
        proof.map = picture;
      }
      mesh.material = picture ? proof : shading === "lit" ? lit : plain;
    });
  }

  resize(width: number, height: number): void {
    this.orbit.reshape(width / height);
  }

  /** What lies under a place of the view, in CSS pixels. */
  hit(x: number, y: number, width: number, height: number): Hit | null {
    this.caster.setFromCamera(new THREE.Vector2((2 * x) / width - 1, 1 - (2 * y) / height), this.orbit.camera);
    const meshes = this.dressed.map(({ mesh }) => mesh).filter(({ visible }) => visible);
    const found = this.caster.intersectObjects(meshes, false)[0];
    if (!found?.face || found.faceIndex == null) return null;
    const surface = this.dressed.findIndex(({ mesh }) => mesh === found.object);
    const face = this.geometries[surface]!.face[found.faceIndex]!;
    return { point: found.point, normal: found.face.normal.clone(), surface, face };
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
      up: [0, 1, 0],
      fov_y: camera.fov,
      viewport: [width, height],
    };
  }

  dispose(): void {
    this.scene.environment?.dispose();
    this.undress();
  }
}
