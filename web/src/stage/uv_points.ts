import * as THREE from "three";

import type { SurfaceGeometry } from "./surface_geometry";

const PICKED = 0x0c8c7a;
const SIDE = 6;

/** Picked UV points of one surface, as dots in its map. */
export class UvPoints {
  readonly dots: THREE.Points<THREE.BufferGeometry, THREE.PointsMaterial>;
  private vertices: ReadonlySet<number> = new Set();

  constructor(
    private readonly surface: SurfaceGeometry,
    private readonly width: number,
    private readonly height: number,
  ) {
    const material = new THREE.PointsMaterial({ color: PICKED, size: SIDE, sizeAttenuation: false, depthTest: false, toneMapped: false });
    this.dots = new THREE.Points(new THREE.BufferGeometry(), material);
    this.dots.frustumCulled = false;
    this.dots.visible = false;
    this.dots.renderOrder = 3;
  }

  show(vertices: ReadonlySet<number>): void {
    if (vertices === this.vertices) return;
    this.vertices = vertices;
    this.follow();
  }

  /** The UVs have moved, or others are picked. */
  follow(): void {
    const { uv } = this.surface;
    const places = [...this.vertices].flatMap((v) => [uv.getX(v) * this.width, uv.getY(v) * this.height, 0.3]);
    this.dots.visible = places.length > 0;
    this.dots.geometry.dispose();
    this.dots.geometry = new THREE.BufferGeometry();
    this.dots.geometry.setAttribute("position", new THREE.Float32BufferAttribute(places, 3));
  }

  dispose(): void {
    this.dots.geometry.dispose();
    this.dots.material.dispose();
  }
}
