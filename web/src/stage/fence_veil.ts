import * as THREE from "three";

import { PLACE_SHADER } from "./place_shader";
import type { SurfaceGeometry } from "./surface_geometry";

/** Pixels from one hatching line to the next. */
const PITCH = 9;

/** Hatching over all that lies outside the fence, on the model and in the map. */
export class FenceVeil {
  readonly onModel: THREE.Mesh;
  readonly onMap: THREE.Mesh;
  private readonly material: THREE.ShaderMaterial;
  private source = "";

  constructor(surface: SurfaceGeometry, width: number, height: number, private readonly changed: () => void) {
    this.material = new THREE.ShaderMaterial({
      transparent: true,
      depthWrite: false,
      polygonOffset: true,
      polygonOffsetFactor: -1,
      polygonOffsetUnits: -1,
      side: THREE.DoubleSide,
      toneMapped: false,
      uniforms: { texels: { value: null } },
      vertexShader: PLACE_SHADER,
      fragmentShader: `
        uniform sampler2D texels;
        varying vec2 place;
        void main() {
          float outside = 1.0 - texture2D(texels, fract(place)).r;
          float along = fract((gl_FragCoord.x + gl_FragCoord.y) / ${PITCH.toFixed(1)});
          float line = smoothstep(0.0, 0.12, along) * (1.0 - smoothstep(0.38, 0.5, along));
          gl_FragColor = vec4(vec3(0.12, 0.14, 0.13), outside * mix(0.12, 0.4, line));
        }`,
    });
    this.onModel = quiet(new THREE.Mesh(surface.geometry, this.material));
    const sheet = new THREE.PlaneGeometry(width, height).translate(width / 2, height / 2, 0.04);
    const uv = sheet.getAttribute("uv") as THREE.BufferAttribute;
    [0, 1, 0, 1].forEach((u, i) => uv.setXY(i, u, i < 2 ? 1 : 0));
    this.onMap = quiet(new THREE.Mesh(sheet, this.material));
  }

  /** Show where a picture of shares is black, or nothing for none; another source is loaded first. */
  show(source: string): void {
    if (source === this.source) return;
    this.source = source;
    if (!source) return this.take(null);
    new THREE.TextureLoader().load(source, (texture) => {
      if (source !== this.source) return texture.dispose();
      texture.flipY = false;
      this.take(texture);
    });
  }

  private take(texture: THREE.Texture | null): void {
    const { texels } = this.material.uniforms;
    (texels!.value as THREE.Texture | null)?.dispose();
    texels!.value = texture;
    this.onModel.visible = this.onMap.visible = texture !== null;
    this.changed();
  }

  dispose(): void {
    this.take(null);
    this.onMap.geometry.dispose();
    this.material.dispose();
  }
}

function quiet(mesh: THREE.Mesh): THREE.Mesh {
  mesh.frustumCulled = false;
  mesh.visible = false;
  mesh.raycast = () => undefined;
  return mesh;
}
