import * as THREE from "three";

import type { SurfaceGeometry } from "./surface_geometry";

/** Red, green, blue and opacity of a face, 0-255; null leaves it as it is. */
export type FaceColor = readonly [number, number, number, number] | null;

/** Vertex colors are linear, ours are written as the screen shows them. */
const LINEAR = Uint8Array.from({ length: 256 }, (_, value) => 255 * new THREE.Color().setRGB(value / 255, 0, 0, THREE.SRGBColorSpace).r);

/** Colors laid over single faces, on the model and in the map: picks, findings, heat. */
export class FaceColors {
  readonly onModel: THREE.Mesh<THREE.BufferGeometry, THREE.MeshBasicMaterial>;
  readonly onMap: THREE.Mesh<THREE.BufferGeometry, THREE.MeshBasicMaterial>;
  private readonly colors: THREE.BufferAttribute;

  constructor(private readonly surface: SurfaceGeometry) {
    const corners = surface.index.count;
    this.colors = new THREE.BufferAttribute(new Uint8Array(corners * 4), 4, true);
    this.onModel = layer(this.colors);
    this.onMap = layer(this.colors);
    const places = surface.geometry.getAttribute("position") as THREE.BufferAttribute;
    const solid = new Float32Array(corners * 3);
    for (let i = 0; i < corners; i++) new THREE.Vector3().fromBufferAttribute(places, surface.index.getX(i)).toArray(solid, 3 * i);
    this.onModel.geometry.setAttribute("position", new THREE.BufferAttribute(solid, 3));
    this.onModel.material.polygonOffset = true;
    this.onModel.material.polygonOffsetFactor = -1;
    this.onModel.material.polygonOffsetUnits = -1;
    this.onMap.geometry.setAttribute("position", new THREE.BufferAttribute(new Float32Array(corners * 3), 3));
    this.onMap.material.depthTest = false;
    this.onMap.renderOrder = 1;
  }

  /** Paint each shown face; returns whether any has a color. */
  paint(colorOf: (face: number) => FaceColor): boolean {
    let any = false;
    const array = this.colors.array as Uint8Array;
    this.surface.face.forEach((face, t) => {
      const color = colorOf(face);
      if (color) any = true;
      for (let k = 0; k < 3; k++) {
        const at = (3 * t + k) * 4;
        for (let c = 0; c < 3; c++) array[at + c] = color ? LINEAR[color[c]!]! : 0;
        array[at + 3] = color ? color[3] : 0;
      }
    });
    this.colors.needsUpdate = true;
    this.onModel.visible = this.onMap.visible = any;
    return any;
  }

  /** Place the map's faces as the UVs are now. */
  follow(width: number, height: number): void {
    const places = this.onMap.geometry.getAttribute("position") as THREE.BufferAttribute;
    const { index, uv } = this.surface;
    for (let i = 0; i < index.count; i++) {
      const v = index.getX(i);
      places.setXYZ(i, uv.getX(v) * width, uv.getY(v) * height, 0.05);
    }
    places.needsUpdate = true;
  }

  dispose(): void {
    for (const { geometry, material } of [this.onModel, this.onMap]) {
      geometry.dispose();
      material.dispose();
    }
  }
}

function layer(colors: THREE.BufferAttribute): THREE.Mesh<THREE.BufferGeometry, THREE.MeshBasicMaterial> {
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute("color", colors);
  const material = new THREE.MeshBasicMaterial({
    toneMapped: false,
    vertexColors: true,
    transparent: true,
    depthWrite: false,
    side: THREE.DoubleSide,
  });
  const mesh = new THREE.Mesh(geometry, material);
  mesh.frustumCulled = false;
  mesh.visible = false;
  // Never in the way of a pick.
  mesh.raycast = () => undefined;
  return mesh;
}
