import * as THREE from "three";

import type { Look, MapPlace } from "../state/desk";
import { Sheet, type Shown } from "./sheet";
import type { SurfaceMaps } from "./surface_maps";
import type { Pictures } from "./version_maps";

const STAGE = 0x8b8f8e;
const MARGIN = 24;
/** The same at the top, where the stage's bars lie. */
const TOP = 44;

/** A surface's map laid flat. One world unit is one texel; y points down. */
export class MapView {
  readonly scene = new THREE.Scene();
  readonly camera = new THREE.OrthographicCamera(0, 1, 0, 1, -1, 1);
  private readonly sheet = new Sheet();
  private readonly overlays = new THREE.Group();
  private size = new THREE.Vector2(1, 1);
  private width = 1;
  private height = 1;
  private fitted = true;
  private left: MapPlace | null = null;
  private dress: (pictures: Pictures | null) => void = () => undefined;
  /** CSS pixels per texel, and the texel at the view's top left. */
  private scale = 1;
  private readonly corner = new THREE.Vector2();
  /** Called when texels have come to lie elsewhere on the screen. */
  onMove: () => void = () => undefined;

  constructor() {
    this.scene.background = new THREE.Color(STAGE);
    this.scene.add(this.sheet, this.overlays);
  }

  /** Show another version of the maps, or themselves again. */
  wear(pictures: Pictures | null): void {
    this.dress(pictures);
  }

  /** Show maps of this size in texels, or a picture in their stead, and what lies over them. */
  show(
    maps: SurfaceMaps, look: Look, picture: THREE.Texture | null, width: number, height: number, overlays: THREE.Object3D[],
  ): void { // prettier-ignore
    const fits = this.size.x === width && this.size.y === height;
    this.size.set(width, height);
    this.dress = (other) => this.sheet.dress(other ?? maps, look, picture);
    this.dress(null);
    this.sheet.scale.set(width, height, 1);
    this.sheet.position.set(width / 2, height / 2, 0);
    this.overlays.clear();
    this.overlays.add(...overlays);
    if (fits) return;
    if (this.left) this.lookAt(this.left);
    else this.fit();
    this.left = null;
  }

  /** The next map of another size lies so; null: it is fitted. */
  startAt(place: MapPlace | null): void {
    this.left = place;
  }

  /** Where the map lies; null when it is fitted. */
  get place(): MapPlace | null {
    if (this.fitted) return null;
    const { x, y } = this.texelAt(this.width / 2, this.height / 2);
    return { middle: [x / this.size.x, y / this.size.y], wide: this.scale * this.size.x };
  }

  private lookAt({ middle, wide }: MapPlace): void {
    this.fitted = false;
    this.scale = wide / this.size.x;
    this.corner.set(middle[0] * this.size.x - this.width / 2 / this.scale, middle[1] * this.size.y - this.height / 2 / this.scale);
    this.arrange();
  }

  get shown(): Shown {
    return this.sheet.shown;
  }

  /** The view has another shape: the map is fitted again, unless the painter has moved it; its middle stays then. */
  resize(width: number, height: number): void {
    if (width === this.width && height === this.height) return;
    this.corner.x += (this.width - width) / 2 / this.scale;
    this.corner.y += (this.height - height) / 2 / this.scale;
    this.width = width;
    this.height = height;
    if (this.fitted) this.fit();
    else this.arrange();
  }

  /** Show a part of the map, all of it unless one is given. */
  fit(part?: THREE.Box2): void {
    this.fitted = !part;
    const texels = part ?? new THREE.Box2(new THREE.Vector2(), this.size.clone());
    const span = texels.getSize(new THREE.Vector2());
    const middle = texels.getCenter(new THREE.Vector2());
    const room = this.height - TOP - MARGIN;
    this.scale = Math.min((this.width - 2 * MARGIN) / Math.max(span.x, 8), room / Math.max(span.y, 8));
    this.scale = Math.max(this.scale, 1e-3);
    this.corner.set(middle.x - this.width / this.scale / 2, middle.y - (TOP + room / 2) / this.scale);
    this.arrange();
  }

  panBy(dx: number, dy: number): void {
    this.fitted = false;
    this.corner.x -= dx / this.scale;
    this.corner.y -= dy / this.scale;
    this.arrange();
  }

  /** Zoom so that the texel under the pointer stays there. */
  zoomBy(factor: number, x: number, y: number): void {
    this.fitted = false;
    const next = THREE.MathUtils.clamp(this.scale / factor, 0.02, 40);
    this.corner.x += x / this.scale - x / next;
    this.corner.y += y / this.scale - y / next;
    this.scale = next;
    this.arrange();
  }

  /** The texel at a place of the view, in CSS pixels from its top left. */
  texelAt(x: number, y: number): THREE.Vector2 {
    return new THREE.Vector2(this.corner.x + x / this.scale, this.corner.y + y / this.scale);
  }

  get pixelsPerTexel(): number {
    return this.scale;
  }

  /** Whether a texel lies within the map. */
  holds({ x, y }: { x: number; y: number }): boolean {
    return x >= 0 && y >= 0 && x < this.size.x && y < this.size.y;
  }

  /** The place of a texel in the view. */
  placeOf(x: number, y: number): THREE.Vector2 {
    return new THREE.Vector2((x - this.corner.x) * this.scale, (y - this.corner.y) * this.scale);
  }

  private arrange(): void {
    this.camera.left = this.corner.x;
    this.camera.right = this.corner.x + this.width / this.scale;
    this.camera.top = this.corner.y;
    this.camera.bottom = this.corner.y + this.height / this.scale;
    this.camera.updateProjectionMatrix();
    this.onMove();
  }

  dispose(): void {
    this.sheet.dispose();
  }
}
