import * as THREE from "three";

import type { StageMesh } from "../api/mesh";
import type { Camera, Mirror } from "../api/schema.generated";
import type { Look, MapName, SurroundingsName } from "../state/desk";
import { BrushRing, type Ring } from "./brush_ring";
import { mirrorMatrices } from "./mirror";
import { Orbit } from "./orbit";
import { SurfaceGeometry } from "./surface_geometry";
import type { SurfaceMaps } from "./surface_maps";
import { surroundings } from "./surroundings";
import type { Twin } from "./twins";

const STAGE = 0x8b8f8e;

/** A mirrored ring goes astray where the body has no match this near, as a share of its size; the engine's own measure. */
const NEAR = 0.01;

/** Which picture and channel a map lies in. */
const CHANNELS: Record<Exclude<MapName, "base_color">, ["values" | "relief", string]> = {
  height: ["values", "r"],
  roughness: ["values", "g"],
  metallic: ["values", "b"],
  normal: ["relief", "rgb"],
};

interface Dressed {
  mesh: THREE.Mesh;
  maps: SurfaceMaps;
  edges: THREE.LineSegments | null;
  lit: THREE.MeshStandardMaterial;
  matte: THREE.MeshLambertMaterial;
  plain: THREE.MeshBasicMaterial;
  /** One map alone, as it is stored. */
  raw: THREE.ShaderMaterial;
  /** A picture shown through the UVs instead of the paint. */
  uvPicture: THREE.MeshStandardMaterial;
}

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
  private dressed: Dressed[] = [];
  private readonly light = new THREE.DirectionalLight(0xffffff, 1.1);
  private around: SurroundingsName | null = null;

  constructor(
    private readonly renderer: THREE.WebGLRenderer,
    private readonly withSurroundings: boolean,
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
    this.dressed = this.geometries.map((geometry, i) => this.dress(geometry.geometry, maps[i]!));
    this.bounds = new THREE.Box3();
    for (const { source } of this.geometries) {
      for (let i = 0; i < source.position.length; i += 3) {
        this.bounds.expandByPoint(new THREE.Vector3().fromArray(source.position, i));
      }
    }
  }

  /** The model's diagonal. */
  get size(): number {
    return this.bounds.isEmpty() ? 2 : this.bounds.getSize(new THREE.Vector3()).length();
  }

  frame(): void {
    this.orbit.frame(this.bounds);
  }

  private dress(geometry: THREE.BufferGeometry, maps: SurfaceMaps): Dressed {
    const lit = new THREE.MeshStandardMaterial({
      map: maps.color,
      normalMap: maps.relief,
      // Green is up in the normals, v is down in the UVs.
      normalScale: new THREE.Vector2(1, -1),
      roughnessMap: maps.values,
      metalnessMap: maps.values,
      roughness: 1,
      metalness: 1,
      side: THREE.DoubleSide,
    });
    const plain = new THREE.MeshBasicMaterial({ map: maps.color, side: THREE.DoubleSide });
    const matte = new THREE.MeshLambertMaterial({ map: maps.color, side: THREE.DoubleSide });
    const raw = rawMaterial(maps);
    const uvPicture = new THREE.MeshStandardMaterial({ roughness: 0.75, side: THREE.DoubleSide });
    for (const material of [lit, matte, plain]) this.ring.drawOn(material);
    const mesh = new THREE.Mesh(geometry, lit);
    // Without triangles there is nothing to draw, and nothing to hit.
    mesh.visible = (geometry.getIndex()?.count ?? 0) > 0;
    this.scene.add(mesh);
    return { mesh, maps, edges: null, lit, matte, plain, raw, uvPicture };
  }

  private undress(): void {
    for (const { mesh, edges, lit, matte, plain, raw, uvPicture } of this.dressed) {
      this.scene.remove(mesh);
      for (const material of [lit, matte, plain, raw, uvPicture]) material.dispose();
      edges?.geometry.dispose();
    }
    for (const geometry of this.geometries) geometry.dispose();
  }

  /** uvPictures: by surface, a picture to be shown in the paint's stead; null shows the paint. */
  shade(look: Look, uvPictures: (THREE.Texture | null)[] | null): void {
    this.lightUp(look);
    this.dressed.forEach((dressed, i) => {
      const { mesh, lit, matte, plain, raw, uvPicture } = dressed;
      if (lit.flatShading !== look.faceted) {
        for (const material of [lit, matte]) {
          material.flatShading = look.faceted;
          material.needsUpdate = true;
        }
      }
      this.showEdges(dressed, look.edges);
      const picture = uvPictures?.[i] ?? null;
      if (picture && uvPicture.map !== picture) {
        uvPicture.needsUpdate = !uvPicture.map;
        uvPicture.map = picture;
      }
      mesh.material = picture ? uvPicture : this.chosen(look, { lit, matte, plain, raw }, dressed.maps);
    });
  }

  private chosen(
    { shading }: Look,
    { lit, matte, plain, raw }: Pick<Dressed, "lit" | "matte" | "plain" | "raw">,
    maps: SurfaceMaps,
  ): THREE.Material {
    if (shading === "lit") return lit;
    if (shading === "matte") return matte;
    if (shading === "plain" || shading === "base_color") return plain;
    const [picture, channel] = CHANNELS[shading];
    raw.uniforms.picture!.value = picture === "values" ? maps.values : maps.relief;
    raw.uniforms.channel!.value.set(channel === "r" ? 1 : 0, channel === "g" ? 1 : 0, channel === "b" ? 1 : 0);
    return raw;
  }

  private lightUp({ surroundings: name, turn, light }: Look): void {
    if (this.withSurroundings && this.around !== name) {
      this.scene.environment?.dispose();
      this.scene.environment = surroundings(this.renderer, name);
      this.around = name;
    }
    this.scene.environmentRotation.set(0, THREE.MathUtils.degToRad(turn), 0);
    this.light.intensity = light.strength;
    this.light.position.set(light.x, light.y, Math.sqrt(Math.max(0.05, 1 - light.x ** 2 - light.y ** 2)));
  }

  private showEdges(dressed: Dressed, wanted: boolean): void {
    if (wanted && !dressed.edges) {
      const material = new THREE.LineBasicMaterial({ color: 0x1e2422, transparent: true, opacity: 0.35 });
      dressed.edges = new THREE.LineSegments(new THREE.EdgesGeometry(dressed.mesh.geometry, 1), material);
      dressed.edges.raycast = () => undefined;
      dressed.mesh.add(dressed.edges);
    }
    if (dressed.edges) dressed.edges.visible = wanted;
  }

  /** The brush's ring and its images under symmetry; images without a match in the body are marked. */
  showRing(hit: Hit, mirror: Required<Mirror>, twins: Twin[], radius: number, pixel: number): void {
    const reach = NEAR * this.size;
    const rings: Ring[] = mirrorMatrices(mirror).map((matrix, i) => {
      const center = hit.point.clone().applyMatrix4(matrix);
      const normal = hit.normal.clone().transformDirection(matrix);
      return { center, normal, astray: i > 0 && !this.matches(center, normal, reach) };
    });
    this.ring.show([...rings, ...twins.map((twin) => ({ ...twin, astray: false }))], radius, pixel);
  }

  private matches(center: THREE.Vector3, normal: THREE.Vector3, reach: number): boolean {
    this.caster.set(center.clone().addScaledVector(normal, reach), normal.clone().negate());
    const found = this.caster.intersectObjects(this.dressed.map(({ mesh }) => mesh), false)[0];
    return !!found?.face && found.distance <= 2 * reach && found.face.normal.dot(normal) > 0.5;
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
    return { point: found.point, normal: found.face.normal.clone(), surface, face, uv: found.uv ?? null };
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

/** A map's stored values on the model: no light, no tone. */
function rawMaterial(maps: SurfaceMaps): THREE.ShaderMaterial {
  return new THREE.ShaderMaterial({
    side: THREE.DoubleSide,
    uniforms: { picture: { value: maps.values }, channel: { value: new THREE.Vector3(1, 0, 0) } },
    vertexShader: `
      varying vec2 place;
      void main() {
        place = uv;
        gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
      }`,
    fragmentShader: `
      uniform sampler2D picture;
      uniform vec3 channel;
      varying vec2 place;
      void main() {
        vec3 stored = texture2D(picture, place).rgb;
        gl_FragColor = vec4(channel == vec3(0.0) ? stored : vec3(dot(stored, channel)), 1.0);
      }`,
  });
}
