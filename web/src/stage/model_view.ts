import * as THREE from "three";
import { mergeGeometries } from "three/examples/jsm/utils/BufferGeometryUtils.js";
import { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";
import { acceleratedRaycast, computeBoundsTree } from "three-mesh-bvh";

import type { Camera, SurfaceState } from "../api/schema.generated";
import type { Shading } from "../state/desk";
import { BrushRing } from "./brush_ring";
import { Orbit } from "./orbit";
import type { SurfaceMaps } from "./surface_maps";
import { surroundings } from "./surroundings";

THREE.BufferGeometry.prototype.computeBoundsTree = computeBoundsTree;
THREE.Mesh.prototype.raycast = acceleratedRaycast;

const STAGE = 0x8b8f8e;

interface Dressed {
  mesh: THREE.Mesh;
  lit: THREE.MeshStandardMaterial;
  plain: THREE.MeshBasicMaterial;
}

export interface Hit {
  point: THREE.Vector3;
  normal: THREE.Vector3;
  surface: string;
}

/** The model on the stage: one mesh per surface, its light, and the brush ring on it. */
export class ModelView {
  readonly scene = new THREE.Scene();
  readonly orbit = new Orbit();
  readonly ring = new BrushRing();
  private readonly caster = new THREE.Raycaster();
  private readonly dressed = new Map<string, Dressed>();
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

  /** Take the model as GLB and dress each surface with its maps. Returns each surface's UV triangles. */
  async load(glb: ArrayBuffer, surfaces: SurfaceState[], maps: SurfaceMaps[]): Promise<THREE.BufferGeometry[]> {
    const { scene } = await new GLTFLoader().parseAsync(glb, "");
    const pieces = new Map<string, THREE.BufferGeometry[]>();
    scene.updateMatrixWorld(true);
    scene.traverse((node) => {
      if (!(node instanceof THREE.Mesh)) return;
      const geometry = (node.geometry as THREE.BufferGeometry).clone().applyMatrix4(node.matrixWorld);
      for (const name of Object.keys(geometry.attributes)) {
        if (!["position", "normal", "uv"].includes(name)) geometry.deleteAttribute(name);
      }
      const surface = (node.material as THREE.Material).name;
      pieces.set(surface, [...(pieces.get(surface) ?? []), geometry]);
    });
    const geometries = surfaces.map(({ name }, i) => {
      const geometry = mergeGeometries(pieces.get(name) ?? []);
      geometry.computeBoundsTree();
      this.dress(name, geometry, maps[i]!);
      return geometry;
    });
    const bounds = new THREE.Box3();
    for (const { mesh } of this.dressed.values()) bounds.expandByObject(mesh);
    this.bounds = bounds;
    return geometries;
  }

  bounds = new THREE.Box3();

  frame(): void {
    this.orbit.frame(this.bounds);
  }

  private dress(name: string, geometry: THREE.BufferGeometry, maps: SurfaceMaps): void {
    const lit = new THREE.MeshStandardMaterial({
      map: maps.color,
      roughnessMap: maps.values,
      metalnessMap: maps.values,
      roughness: 1,
      metalness: 1,
      side: THREE.DoubleSide,
    });
    const plain = new THREE.MeshBasicMaterial({ map: maps.color, side: THREE.DoubleSide });
    this.ring.drawOn(lit);
    this.ring.drawOn(plain);
    const mesh = new THREE.Mesh(geometry, lit);
    mesh.name = name;
    this.scene.add(mesh);
    this.dressed.set(name, { mesh, lit, plain });
  }

  shade(shading: Shading): void {
    for (const { mesh, lit, plain } of this.dressed.values()) mesh.material = shading === "lit" ? lit : plain;
  }

  resize(width: number, height: number): void {
    this.orbit.camera.aspect = width / height;
    this.orbit.camera.updateProjectionMatrix();
  }

  /** What lies under a place of the view, in CSS pixels. */
  hit(x: number, y: number, width: number, height: number): Hit | null {
    this.caster.setFromCamera(new THREE.Vector2((2 * x) / width - 1, 1 - (2 * y) / height), this.orbit.camera);
    const meshes = [...this.dressed.values()].map(({ mesh }) => mesh);
    const found = this.caster.intersectObjects(meshes, false)[0];
    if (!found?.face) return null;
    return { point: found.point, normal: found.face.normal.clone(), surface: found.object.name };
  }

  /** Size of a CSS pixel in model units at the depth of a point; the server computes the same. */
  pixelAt(point: THREE.Vector3, height: number): number {
    const camera = this.orbit.camera;
    const depth = -point.clone().applyMatrix4(camera.matrixWorldInverse).z;
    return (2 * depth * Math.tan(THREE.MathUtils.degToRad(camera.fov / 2))) / height;
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
    for (const { mesh, lit, plain } of this.dressed.values()) {
      mesh.geometry.dispose();
      lit.dispose();
      plain.dispose();
    }
  }
}
