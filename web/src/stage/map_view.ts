import * as THREE from "three";

import type { SurfaceMaps } from "./surface_maps";

const STAGE = 0x8b8f8e;
const MARGIN = 24;

/** A surface's color map laid flat, with its UV lines. One world unit is one texel; y points down. */
export class MapView {
  readonly scene = new THREE.Scene();
  readonly camera = new THREE.OrthographicCamera(0, 1, 0, 1, -1, 1);
  private readonly sheet = new THREE.Mesh(new THREE.PlaneGeometry(1, 1), new THREE.MeshBasicMaterial());
  private lines: THREE.LineSegments<THREE.BufferGeometry, THREE.ShaderMaterial> | null = null;
  private size = new THREE.Vector2(1, 1);
  private width = 1;
  private height = 1;
  /** CSS pixels per texel, and the texel at the view's top left. */
  private scale = 1;
  private readonly corner = new THREE.Vector2();

  constructor() {
    this.scene.background = new THREE.Color(STAGE);
    this.sheet.material.side = THREE.DoubleSide;
    this.scene.add(this.sheet);
  }

  /** Show a surface: its picture, its size in texels, and the lines of its faces. */
  show(maps: SurfaceMaps, geometry: THREE.BufferGeometry, width: number, height: number): void {
    this.size.set(width, height);
    this.sheet.material.map = maps.color;
    this.sheet.material.needsUpdate = true;
    this.sheet.scale.set(width, height, 1);
    this.sheet.position.set(width / 2, height / 2, 0);
    // The camera looks with y down, so the plane's own v is turned to match row 0 on top.
    const uv = this.sheet.geometry.getAttribute("uv") as THREE.BufferAttribute;
    [0, 1, 0, 1].forEach((u, i) => uv.setXY(i, u, i < 2 ? 1 : 0));
    uv.needsUpdate = true;
    if (this.lines) {
      this.scene.remove(this.lines);
      this.lines.geometry.dispose();
      this.lines.material.dispose();
    }
    this.lines = uvLines(geometry, maps.color, width, height);
    this.scene.add(this.lines);
    this.fit();
  }

  set linesShown(shown: boolean) {
    if (this.lines) this.lines.visible = shown;
  }

  resize(width: number, height: number): void {
    const first = this.width === 1;
    this.width = width;
    this.height = height;
    if (first) this.fit();
    else this.place();
  }

  fit(): void {
    this.scale = Math.min((this.width - 2 * MARGIN) / this.size.x, (this.height - 2 * MARGIN) / this.size.y);
    this.scale = Math.max(this.scale, 1e-3);
    this.corner.set((this.size.x - this.width / this.scale) / 2, (this.size.y - this.height / this.scale) / 2);
    this.place();
  }

  panBy(dx: number, dy: number): void {
    this.corner.x -= dx / this.scale;
    this.corner.y -= dy / this.scale;
    this.place();
  }

  /** Zoom so that the texel under the pointer stays there. */
  zoomBy(factor: number, x: number, y: number): void {
    const next = THREE.MathUtils.clamp(this.scale / factor, 0.02, 40);
    this.corner.x += x / this.scale - x / next;
    this.corner.y += y / this.scale - y / next;
    this.scale = next;
    this.place();
  }

  private place(): void {
    this.camera.left = this.corner.x;
    this.camera.right = this.corner.x + this.width / this.scale;
    this.camera.top = this.corner.y;
    this.camera.bottom = this.corner.y + this.height / this.scale;
    this.camera.updateProjectionMatrix();
  }

  dispose(): void {
    this.sheet.geometry.dispose();
    this.sheet.material.dispose();
    this.lines?.geometry.dispose();
    this.lines?.material.dispose();
  }
}

/** Each edge of each face once, dark over light paint and light over dark. */
function uvLines(
  geometry: THREE.BufferGeometry,
  color: THREE.Texture,
  width: number,
  height: number,
): THREE.LineSegments<THREE.BufferGeometry, THREE.ShaderMaterial> {
  const uv = geometry.getAttribute("uv");
  const index = geometry.getIndex()!;
  const seen = new Set<number>();
  const places: number[] = [];
  for (let face = 0; face < index.count; face += 3) {
    for (let side = 0; side < 3; side++) {
      const a = index.getX(face + side);
      const b = index.getX(face + ((side + 1) % 3));
      const key = Math.min(a, b) * uv.count + Math.max(a, b);
      if (seen.has(key)) continue;
      seen.add(key);
      places.push(uv.getX(a) * width, uv.getY(a) * height, 0.1, uv.getX(b) * width, uv.getY(b) * height, 0.1);
    }
  }
  const lines = new THREE.BufferGeometry();
  lines.setAttribute("position", new THREE.Float32BufferAttribute(places, 3));
  const material = new THREE.ShaderMaterial({
    transparent: true,
    depthTest: false,
    uniforms: { picture: { value: color }, size: { value: new THREE.Vector2(width, height) } },
    vertexShader: `
      uniform vec2 size;
      varying vec2 place;
      void main() {
        place = position.xy / size;
        gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
      }`,
    fragmentShader: `
      uniform sampler2D picture;
      varying vec2 place;
      void main() {
        float lightness = dot(textureLod(picture, place, 3.0).rgb, vec3(0.2126, 0.7152, 0.0722));
        gl_FragColor = lightness > 0.18 ? vec4(vec3(0.05), 0.34) : vec4(vec3(1.0), 0.34);
      }`,
  });
  return new THREE.LineSegments(lines, material);
}
