import * as THREE from "three";

import type { StageMesh } from "../api/mesh";
import { ALL } from "./dressed_surface";
import { polygonEdges } from "./polygon_edges";
import type { Shown } from "./sheet";
import type { SurfaceGeometry } from "./surface_geometry";

/** The outlines of a surface's polygons in its map: each edge once, dark over what is light and light over dark. */
export class UvLines {
  readonly lines: THREE.LineSegments<THREE.BufferGeometry, THREE.ShaderMaterial>;
  /** Vertices at the ends of each line; found when they are shown. */
  private ends: Uint32Array | null = null;

  constructor(
    private readonly surface: SurfaceGeometry,
    private readonly mesh: StageMesh,
    private readonly width: number,
    private readonly height: number,
  ) {
    this.lines = new THREE.LineSegments(new THREE.BufferGeometry(), lineMaterial(width, height));
    this.lines.frustumCulled = false;
    this.lines.visible = false;
  }

  show(wanted: boolean): void {
    this.lines.visible = wanted;
    if (!wanted || this.ends) return;
    this.ends = polygonEdges(this.surface, this.mesh.polygon);
    this.lines.geometry.setAttribute("position", new THREE.BufferAttribute(new Float32Array(this.ends.length * 3), 3));
    this.follow();
  }

  /** What the lines lie over; null where colors of faces hide it, all of them light. */
  over(shown: Shown | null): void {
    const { uniforms } = this.lines.material;
    uniforms.hidden!.value = !shown;
    if (!shown) return;
    uniforms.picture!.value = shown.picture;
    uniforms.channel!.value = shown.channel;
    uniforms.decoded!.value = shown.decoded;
  }

  /** The UVs have moved. */
  follow(): void {
    if (!this.ends) return;
    const places = this.lines.geometry.getAttribute("position") as THREE.BufferAttribute;
    const { uv } = this.surface;
    this.ends.forEach((v, i) => places.setXYZ(i, uv.getX(v) * this.width, uv.getY(v) * this.height, 0.1));
    places.needsUpdate = true;
  }

  dispose(): void {
    this.lines.geometry.dispose();
    this.lines.material.dispose();
  }
}

function lineMaterial(width: number, height: number): THREE.ShaderMaterial {
  return new THREE.ShaderMaterial({
    transparent: true,
    depthTest: false,
    uniforms: {
      picture: { value: null as THREE.Texture | null },
      channel: { value: ALL },
      decoded: { value: true },
      hidden: { value: false },
      size: { value: new THREE.Vector2(width, height) },
    },
    vertexShader: `
      uniform vec2 size;
      varying vec2 place;
      void main() {
        place = position.xy / size;
        gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
      }`,
    fragmentShader: `
      uniform sampler2D picture;
      uniform vec4 channel;
      uniform bool decoded;
      uniform bool hidden;
      varying vec2 place;
      void main() {
        vec4 stored = textureLod(picture, place, 3.0);
        float lightness = dot(stored, channel == vec4(0.0) ? vec4(0.2126, 0.7152, 0.0722, 0.0) : channel);
        if (!decoded) lightness = pow(lightness, 2.2);
        gl_FragColor = hidden || lightness > 0.18 ? vec4(vec3(0.05), 0.34) : vec4(vec3(1.0), 0.34);
      }`,
  });
}
