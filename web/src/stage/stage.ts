import * as THREE from "three";

import { loadModel } from "../api/rest";
import type { Batch } from "../api/wire";
import { useDesk } from "../state/desk";
import type { Project } from "../state/project";
import { surfaceNamed, useSession } from "../state/session";
import { Hand } from "./hand";
import { MapView } from "./map_view";
import { ModelView } from "./model_view";
import { SurfaceMaps } from "./surface_maps";

export interface Area {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** How far opening has got: the share of pixels that have come (1: ready), or why it failed. */
export type StageNews = { share: number } | { failure: string };

/** Switches for slow machines and tests, from the page's address: `?surroundings=off&smooth=off&measure=on`. */
const SWITCHES = new URLSearchParams(location.search);

/** The canvas with both views. It draws when something has changed, never on its own. */
export class Stage {
  readonly model: ModelView;
  readonly map = new MapView();
  private readonly renderer: THREE.WebGLRenderer;
  private readonly hand: Hand;
  private readonly observer: ResizeObserver;
  private readonly stops: (() => void)[];
  private maps: SurfaceMaps[] = [];
  private geometries: THREE.BufferGeometry[] = [];
  private shown: string | null = null;
  private batches: Batch[] = [];
  private early: Batch[] = [];
  private frame = 0;
  private gone = false;
  private complete = false;

  constructor(
    private readonly canvas: HTMLCanvasElement,
    readonly project: Project,
    private readonly told: (news: StageNews) => void,
  ) {
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: SWITCHES.get("smooth") !== "off" });
    this.renderer.setPixelRatio(SWITCHES.get("smooth") === "off" ? 1 : Math.min(devicePixelRatio, 2));
    this.renderer.autoClear = false;
    this.renderer.setScissorTest(true);
    this.model = new ModelView(this.renderer, SWITCHES.get("surroundings") !== "off");
    this.hand = new Hand(canvas, this);
    this.observer = new ResizeObserver(() => this.resize());
    this.observer.observe(canvas);
    this.stops = [useDesk.subscribe(() => this.follow())];
    project.onBatch = (batch) => this.take(batch);
    project.onWelcome = () => void this.begin();
    project.onStrokeEnded = (stroke) => this.hand.strokeEnded(stroke);
  }

  /** Where a view lies on the canvas, in CSS pixels from its top left; null when it is not shown. */
  area(view: "model" | "map"): Area | null {
    const { view: mode } = useDesk.getState();
    const width = this.canvas.clientWidth;
    const height = this.canvas.clientHeight;
    if (mode !== "side") return mode === view ? { x: 0, y: 0, width, height } : null;
    const half = Math.floor(width / 2);
    return view === "model" ? { x: 0, y: 0, width: half, height } : { x: half, y: 0, width: width - half, height };
  }

  /** Draw soon. */
  invalidate = (): void => {
    if (!this.frame && !this.gone) this.frame = requestAnimationFrame((now) => this.draw(now));
  };

  frameAll(): void {
    this.model.frame();
    this.map.fit();
    this.invalidate();
  }

  /** The first welcome builds the scene; after a lost connection the server sends all pixels anew by itself. */
  private async begin(): Promise<void> {
    if (this.maps.length) return;
    const { state } = useSession.getState();
    if (!state) return;
    this.maps = state.surfaces.map(({ width, height }) => new SurfaceMaps(this.renderer, width, height));
    try {
      const glb = await loadModel(this.project.id);
      if (this.gone) return;
      this.geometries = await this.model.load(glb, state.surfaces, this.maps);
    } catch (error) {
      this.told({ failure: error instanceof Error ? error.message : String(error) });
      return;
    }
    this.resize();
    this.model.frame();
    this.follow();
    this.batches.push(...this.early.splice(0));
    this.invalidate();
  }

  /** Bring the views in line with the desk. */
  private follow(): void {
    const { surface, shading, uvLines } = useDesk.getState();
    const { state } = useSession.getState();
    const found = surfaceNamed(state, surface);
    if (!found || !this.geometries.length) return;
    if (found.name !== this.shown) {
      const index = state!.surfaces.indexOf(found);
      this.map.show(this.maps[index]!, this.geometries[index]!, found.width, found.height);
      this.shown = found.name;
    }
    this.model.shade(shading);
    this.map.linesShown = uvLines;
    this.resize();
  }

  private resize(): void {
    const { clientWidth, clientHeight } = this.canvas;
    if (!clientWidth || !clientHeight) return;
    this.renderer.setSize(clientWidth, clientHeight, false);
    const model = this.area("model");
    const map = this.area("map");
    if (model) this.model.resize(model.width, model.height);
    if (map) this.map.resize(map.width, map.height);
    this.hand.refreshRing();
    this.invalidate();
  }

  private take(batch: Batch): void {
    (this.geometries.length ? this.batches : this.early).push(batch);
    this.invalidate();
  }

  private draw(now: number): void {
    this.frame = 0;
    const batches = this.batches.splice(0);
    const started = performance.now();
    for (const batch of batches) for (const rectangle of batch.rectangles) this.maps[rectangle.surface]?.put(rectangle);
    for (const maps of this.maps) maps.settle();
    const uploaded = performance.now();
    if (!this.complete) this.checkComplete();
    if (this.complete) {
      this.render("model", this.model.scene, this.model.orbit.camera);
      this.render("map", this.map.scene, this.map.camera);
    }
    if (SWITCHES.get("measure") === "on") this.measure(batches, now, started, uploaded);
    // Acknowledged only now: a page that cannot keep up is sent less.
    for (const batch of batches) this.project.socket.send({ type: "ack", batch: batch.number });
    if (batches.length) this.canvas.dataset.batch = String(batches.at(-1)!.number);
  }

  /** Nothing is drawn before all pixels have come: a half-black model would say something untrue. */
  private checkComplete(): void {
    const pictures = this.maps.flatMap((maps) => maps.pictures);
    const tiles = pictures.reduce((sum, picture) => sum + picture.tiles, 0);
    const missing = pictures.reduce((sum, picture) => sum + picture.missing, 0);
    this.complete = tiles > 0 && missing === 0 && this.geometries.length > 0;
    if (tiles) this.told({ share: this.complete ? 1 : Math.min(1 - missing / tiles, 0.99) });
  }

  private render(view: "model" | "map", scene: THREE.Scene, camera: THREE.Camera): void {
    const area = this.area(view);
    if (!area) return;
    const bottom = this.canvas.clientHeight - area.y - area.height;
    this.renderer.setViewport(area.x, bottom, area.width, area.height);
    this.renderer.setScissor(area.x, bottom, area.width, area.height);
    this.renderer.clear();
    this.renderer.render(scene, camera);
  }

  /** For the bench: from the pointer event to the frame that shows it, with its parts, as user timings. */
  private measure(batches: Batch[], now: number, started: number, uploaded: number): void {
    const gl = this.renderer.getContext();
    gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array(4));
    const drawn = performance.now();
    for (const { stamp, engine, composite, encode } of batches) {
      if (!stamp) continue;
      const detail = { engine, composite, encode, upload: uploaded - started, draw: drawn - uploaded, frame: now };
      performance.measure("stroke lag", { start: stamp, end: drawn, detail });
    }
  }

  dispose(): void {
    this.gone = true;
    cancelAnimationFrame(this.frame);
    this.observer.disconnect();
    this.hand.dispose();
    for (const stop of this.stops) stop();
    this.model.dispose();
    this.map.dispose();
    for (const maps of this.maps) maps.dispose();
    this.renderer.dispose();
  }
}
