import * as THREE from "three";

import type { SurfaceGeometry } from "./surface_geometry";

/** Red, green, blue and opacity of a face, 0-255; null leaves it as it is. */
export type FaceColor = readonly [number, number, number, number] | null;

/** Vertex colors are linear, ours are written as the screen shows them. */
const LINEAR = Uint8Array.from({ length: 256 }, (_, value) => 255 * new THREE.Color().setRGB(value / 255, 0, 0, THREE.SRGBColorSpace).r);

/** Colors laid over single faces, on the model and in the map: picks, findings, heat. Nothing is made before one has. */
export class FaceColors {
  readonly onModel = layer();
  readonly onMap = layer();
  /** Of each corner of each face. */
  private colors: Uint8Array | null = null;
  private size = { width: 1, height: 1 };

  constructor(private readonly surface: SurfaceGeometry) {
    this.onModel.material.polygonOffset = true;
    this.onModel.material.polygonOffsetFactor = -1;
    this.onModel.material.polygonOffsetUnits = -1;
    this.onMap.material.depthTest = false;
    this.onMap.renderOrder = 1;
  }

  /** Paint each shown face; null paints none of them. */
  paint(colorOf: ((face: number) => FaceColor) | null): void {
    let any = false;
    if (colorOf)
      this.surface.face.forEach((face, t) => {
        const color = colorOf(face);
        any ||= color !== null;
        if (!color) return this.colors?.fill(0, 12 * t, 12 * t + 12);
        const array = (this.colors ??= this.make());
        for (let at = 12 * t; at < 12 * t + 12; at += 4) {
          for (let c = 0; c < 3; c++) array[at + c] = LINEAR[color[c]!]!;
          array[at + 3] = color[3];
        }
      });
    this.onModel.visible = this.onMap.visible = any;
    if (any) for (const { geometry } of [this.onModel, this.onMap]) geometry.getAttribute("color").needsUpdate = true;
  }

  /** Place the map's faces as the UVs are now. */
  follow(width: number, height: number): void {
    this.size = { width, height };
    if (!this.colors) return;
    const { index, uv } = this.surface;
    const places = new Float32Array(index.count * 3);
    index.array.forEach((v, i) => {
      places[3 * i] = uv.array[2 * v]! * width;
      places[3 * i + 1] = uv.array[2 * v + 1]! * height;
      places[3 * i + 2] = 0.05;
    });
    this.onMap.geometry.setAttribute("position", new THREE.BufferAttribute(places, 3));
  }

  private make(): Uint8Array {
    const { index, source } = this.surface;
    const solid = new Float32Array(index.count * 3);
    index.array.forEach((v, i) => {
      for (let k = 0; k < 3; k++) solid[3 * i + k] = source.position[3 * v + k]!;
    });
    this.onModel.geometry.setAttribute("position", new THREE.BufferAttribute(solid, 3));
    this.colors = new Uint8Array(index.count * 4);
    const colors = new THREE.BufferAttribute(this.colors, 4, true);
    for (const { geometry } of [this.onModel, this.onMap]) geometry.setAttribute("color", colors);
    this.follow(this.size.width, this.size.height);
    return this.colors;
  }

  dispose(): void {
    for (const { geometry, material } of [this.onModel, this.onMap]) {
      geometry.dispose();
      material.dispose();
    }
  }
}

function layer(): THREE.Mesh<THREE.BufferGeometry, THREE.MeshBasicMaterial> {
  const material = new THREE.MeshBasicMaterial({
    toneMapped: false,
    vertexColors: true,
    transparent: true,
    depthWrite: false,
    side: THREE.DoubleSide,
  });
  const mesh = new THREE.Mesh(new THREE.BufferGeometry(), material);
  mesh.frustumCulled = false;
  mesh.visible = false;
  // Never in the way of a pick.
  mesh.raycast = () => undefined;
  return mesh;
}
