import * as THREE from "three";

import type { StageMesh } from "../api/mesh";
import { loadMesh } from "../api/rest";
import type { Batch } from "../api/wire";
import { useCheckup } from "../state/checkup";
import { fenceNow, shownView, useDesk } from "../state/desk";
import { useMapPlace, useModelPlace } from "../state/map_place";
import { takeMesh, usePicks } from "../state/picks";
import { stopComparing, useWipe } from "../state/wipe";
import type { Project } from "../state/project";
import { surfaceNamed, useSession } from "../state/session";
import { anisotropyOf } from "./anisotropy";
import { Arrivals } from "./arrivals";
import { Densities } from "./densities";
import { PointerInput } from "./pointer_input";
import { placeOnTriangle, triangleAt } from "./map_hits";
import { LeftPlaces } from "./left_places";
import { tooLarge } from "./largest_map";
import { MapView } from "./map_view";
import { measureLag } from "./measure";
import { type Hit, ModelView } from "./model_view";
import { Overlays } from "./overlays";
import { PacedFrames } from "./paced_frames";
import { drawnByProcessor } from "./processor";
import { Retired } from "./retired";
import { type SurfaceGeometry } from "./surface_geometry";
import { SurfaceMaps } from "./surface_maps";
import { VersionMaps } from "./version_maps";
import { type Twin, Twins } from "./twins";
import type { Bar } from "./orbit";
import type { Area, Views } from "./views";
import type { DocumentState } from "../state/document";

/** How far opening has got: the share of pixels that have come (1: ready), or why it failed. */
export type StageNews = { share: number } | { failure: string };

/** Switches for slow machines and tests, from the page's address: `?surroundings=off&smooth=off&measure=on`. */
const SWITCHES = new URLSearchParams(location.search);
const SMOOTH = SWITCHES.get("smooth") !== "off";
/** Pixels of the screen to one of the page; more than two are not seen. */
const pixelRatio = () => (SMOOTH ? Math.min(devicePixelRatio, 2) : 1);
/** Not where the page was made larger, or has come to another screen, which no browser tells as another size. */
const isAsFine = (renderer: THREE.WebGLRenderer) => renderer.getPixelRatio() === pixelRatio();

/** Milliseconds before a model that could not be fetched is asked for again. */
const RETRY = 1500;

const NO_POINTS: ReadonlySet<number> = new Set();

/** CSS pixels that stay free below what lies over the stage. */
const BESIDE = 8;

/** What the model on the stage is made of; another key is another model, other UVs or sharp edges, other hidden parts. */
const shapeOf = (state: DocumentState) =>
  JSON.stringify([state.mesh?.arrays, state.surfaces.map(({ uv_set, crease }) => [uv_set, crease]), state.hidden_parts]);

const sizesOf = (state: DocumentState) => state.surfaces.map(({ width, height }) => ({ width, height }));

/** The canvas with both views. It draws when something has changed, never on its own. */
export class Stage implements Views {
  readonly model: ModelView;
  readonly map = new MapView();
  private readonly retired = new Retired();
  /** Coarse and smooth frames, where the processor draws. */
  private paced: PacedFrames | null = null;
  overlays: Overlays[] = [];
  mesh: StageMesh | null = null;
  private readonly renderer: THREE.WebGLRenderer;
  private readonly input: PointerInput;
  private readonly version: VersionMaps;
  private readonly left: LeftPlaces;
  private readonly observer: ResizeObserver;
  private readonly stops: (() => void)[];
  private maps: SurfaceMaps[] = [];
  private readonly densities = new Densities();
  private twins: { geometry: SurfaceGeometry; finder: Twins } | null = null;
  private shape = "";
  private shown = "";
  private readonly arrivals = new Arrivals();
  /** Whether the next frame looks different from the last. */
  private stale = true;
  private frame = 0;
  /** How often the model has been taken anew. */
  private meshAge = 0;
  private pose = "";
  /** All of the model was framed for a view of another shape. */
  private unframed = false;
  private gone = false;
  private complete = false;
  /** A model is on its way: pixels wait, so that they never show through UVs they are not for. */
  private fetching = false;

  constructor(
    readonly canvas: HTMLCanvasElement,
    readonly project: Project,
    private readonly told: (news: StageNews) => void,
  ) {
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: SMOOTH && !drawnByProcessor() });
    this.renderer.setPixelRatio(pixelRatio());
    this.renderer.autoClear = false;
    // Keeps colors as they are up to four fifths, and bends brighter ones below white (Khronos PBR Neutral, 2024).
    this.renderer.toneMapping = THREE.NeutralToneMapping;
    this.renderer.setScissorTest(true);
    if (SMOOTH && drawnByProcessor()) this.paced = new PacedFrames(this.renderer, this.invalidate);
    this.model = new ModelView(this.renderer, SWITCHES.get("surroundings") !== "off", this.retired);
    this.left = new LeftPlaces(this.model, this.map);
    this.version = new VersionMaps(project.id, anisotropyOf(this.renderer));
    this.input = new PointerInput(canvas, this);
    this.observer = new ResizeObserver(() => this.resize());
    this.observer.observe(canvas);
    this.stops = [
      useDesk.subscribe(() => this.follow()),
      usePicks.subscribe(() => this.follow()),
      useCheckup.subscribe(() => this.follow()),
      useWipe.subscribe(() => this.invalidate()),
      () => this.version.dispose(),
      useSession.subscribe(({ state }, before) => {
        if (state && state !== before.state) void this.sync(state).then(() => this.follow());
      }),
    ];
    this.map.onMove = () => useMapPlace.setState(({ tick }) => ({ tick: tick + 1 }));
    project.onBatch = (batch) => this.take(batch);
    project.onStrokeEnded = (stroke) => this.input.strokeEnded(stroke);
  }

  /** Where a view lies on the canvas, in CSS pixels from its top left; null when it is not shown. */
  area(view: "model" | "map"): Area | null {
    const mode = shownView(useDesk.getState());
    const width = this.canvas.clientWidth;
    const height = this.canvas.clientHeight;
    if (mode !== "side") return mode === view ? { x: 0, y: 0, width, height } : null;
    const half = Math.floor(width / 2);
    return view === "model" ? { x: 0, y: 0, width: half, height } : { x: half, y: 0, width: width - half, height };
  }

  /** The surface shown in the map, by its place in the state. */
  get chosen(): number {
    const { state } = useSession.getState();
    const found = surfaceNamed(state, useDesk.getState().surface);
    return found && state ? state.surfaces.indexOf(found) : 0;
  }

  get chosenName(): string | null {
    return useSession.getState().state?.surfaces[this.chosen]?.name ?? null;
  }

  /** Draw soon. */
  invalidate = (): void => {
    this.stale = true;
    this.askForFrame();
  };

  private askForFrame(): void {
    if (!this.frame && !this.gone) this.frame = requestAnimationFrame((now) => this.draw(now));
  }

  /** Keys mean the stage from now on. */
  focus(): void {
    this.canvas.focus({ preventScroll: true });
  }

  frameAll(): void {
    this.model.orbit.frame(this.bars());
    this.map.fit();
    this.invalidate();
  }

  /** What lies over the top of the model's view. */
  private bars(): Bar[] {
    const area = this.area("model");
    if (!area) return [];
    const { x, y } = this.canvas.getBoundingClientRect();
    const across = (at: number) => (2 * (at - x - area.x)) / area.width - 1;
    return [...(this.canvas.parentElement?.querySelectorAll("[data-bar]") ?? [])].map((bar) => {
      const { left, right, bottom } = bar.getBoundingClientRect();
      return { left: across(left), right: across(right), bottom: 1 - (2 * (bottom + BESIDE - y - area.y)) / area.height };
    });
  }

  /** What lies over the model goes along with the camera. */
  private tellPose(): void {
    const area = this.area("model");
    const said = JSON.stringify([this.model.orbit.pose, area]);
    if (said === this.pose) return;
    this.pose = said;
    useModelPlace.setState(({ tick }) => ({ tick: tick + 1 }));
    if (area) useSession.setState({ pixel: this.model.pixelAt(this.model.orbit.target, area.height) });
  }

  /** Bring the picked faces before the eye, in both views. */
  framePicked(): void {
    const { faces } = usePicks.getState();
    const chosen = (face: number) => faces[face] === 1;
    this.model.orbit.near(this.model.geometries.map((geometry) => geometry.placesOf(chosen)));
    const overlays = this.overlays[this.chosen];
    const texels = overlays && this.model.geometries[this.chosen]?.boxInMap(chosen, overlays.width, overlays.height);
    if (texels && !texels.isEmpty()) this.map.fit(texels);
    this.invalidate();
  }

  /** Become what the server says: fetch the model when it is another, and make maps of the right sizes. */
  private async sync(state: DocumentState): Promise<void> {
    const shape = shapeOf(state);
    const asked = sizesOf(state);
    const fits = asked.length === this.maps.length && asked.every((size, i) => this.maps[i]!.fits(size));
    if (shape === this.shape && fits) return;
    const failure = tooLarge(this.renderer, state);
    if (failure) {
      // Whatever comes next is fetched anew; until then pixels wait.
      this.shape = "";
      this.fetching = true;
      return this.told({ failure });
    }
    // What was painted for other UVs or sizes cannot be laid over these.
    stopComparing();
    let mesh = shape === this.shape && !this.fetching ? this.mesh : null;
    this.fetching = true;
    this.shape = shape;
    // Light is worked out while the model is on its way.
    this.model.lightUp(useDesk.getState().look);
    try {
      mesh ??= await loadMesh(this.project.id);
    } catch (error) {
      this.told({ failure: error instanceof Error ? error.message : String(error) });
      if (this.shape === shape) this.tryAgain();
      return;
    }
    // Overtaken by another change: that one will fetch what is then true.
    if (this.gone || this.shape !== shape) return;
    // Maps may have another size than when the model was asked for.
    const sizes = sizesOf(useSession.getState().state ?? state);
    const first = this.mesh === null;
    this.mesh = mesh;
    this.meshAge++;
    const kept = this.maps.filter((maps, i) => sizes[i] && maps.fits(sizes[i]));
    for (const maps of this.maps) if (!kept.includes(maps)) maps.dispose();
    this.maps = sizes.map((size, i) => {
      const here = this.maps[i];
      return here && kept.includes(here) ? here : new SurfaceMaps(this.renderer, size.width, size.height);
    });
    this.model.take(mesh, this.maps, new Set(state.hidden_parts));
    this.dressOverlays(mesh, sizes);
    takeMesh(mesh, this.chosen);
    useSession.setState({ modelSize: this.model.size, modelMiddle: this.model.bounds.getCenter(new THREE.Vector3()).toArray() });
    this.complete = false;
    this.fetching = false;
    this.shown = "";
    this.resize();
    if (first && !this.left.find()) this.model.orbit.frame(this.bars());
    this.follow();
    this.map.onMove();
  }

  /** A model that could not be fetched is asked for again, until it comes or another state says what is wanted. */
  private tryAgain(): void {
    this.shape = "";
    window.setTimeout(() => {
      const { state } = useSession.getState();
      if (state && !this.gone && this.shape === "") void this.sync(state).then(() => this.follow());
    }, RETRY);
  }

  private dressOverlays(mesh: StageMesh, sizes: { width: number; height: number }[]): void {
    for (const overlays of this.overlays) this.model.scene.remove(...overlays.onModel);
    this.retired.add(this.overlays);
    this.overlays = this.model.geometries.map(
      (geometry, i) => new Overlays(geometry, mesh, sizes[i]!.width, sizes[i]!.height, anisotropyOf(this.renderer), this.invalidate),
    );
    for (const overlays of this.overlays) this.model.scene.add(...overlays.onModel);
  }

  /** Bring the views in line with desk, picks and checkup. */
  private follow(): void {
    const desk = useDesk.getState();
    const index = this.chosen;
    const overlays = this.overlays[index];
    const { state } = useSession.getState();
    if (!overlays || this.fetching || !state) return;
    const preparing = desk.stage === "prepare";
    const uvDisplay = preparing ? desk.uvDisplay : "paint";
    const { faces, points } = usePicks.getState();
    const findings = useCheckup.getState().faces;
    const showsPicks = desk.tool === "pick" || (desk.tool === "fill" && desk.fillBy === "picked");
    const marks = preparing ? "all" : showsPicks ? "picks" : "none";
    for (const each of this.overlays) each.show(marks, uvDisplay, faces, findings);
    overlays.points.show(preparing && desk.preparing.tool === "points" ? points : NO_POINTS);
    this.veil(preparing ? null : fenceNow(desk), state);
    const pictures = this.overlays.map((each, i) => each.picture(uvDisplay, state.surfaces[i]!));
    this.model.shade(desk.look, pictures);
    this.map.show(this.maps[index]!, desk.look, pictures[index] ?? null, overlays.width, overlays.height, overlays.onMap);
    overlays.showLines(desk.uvLines || preparing, uvDisplay, this.map.shown);
    const shown = `${shownView(desk)} ${this.canvas.clientWidth}`;
    if (shown !== this.shown) {
      this.shown = shown;
      this.resize();
    }
    this.input.refreshRing();
    this.invalidate();
  }

  /** Hatch what lies outside the fence. */
  private veil(fence: string | null, state: DocumentState): void {
    const region = state.regions.find(({ id }) => id === fence);
    const version = region && encodeURIComponent(`${region.faces}.${JSON.stringify(region.areas)}`.slice(-400));
    this.overlays.forEach((each, i) => {
      const { name, uv_set } = state.surfaces[i]!;
      const query = `surface=${encodeURIComponent(name)}&v=${this.meshAge}.${each.width}x${each.height}.${uv_set}.${version}`;
      each.fence.show(region ? `/api/projects/${this.project.id}/regions/${region.id}/texels?${query}` : "");
    });
  }

  private resize(): void {
    const { clientWidth, clientHeight } = this.canvas;
    if (!clientWidth || !clientHeight) return;
    if (!isAsFine(this.renderer)) this.renderer.setPixelRatio(pixelRatio());
    this.renderer.setSize(clientWidth, clientHeight, false);
    const model = this.area("model");
    const map = this.area("map");
    // What lies over the model finds its place with the next frame.
    this.unframed ||= this.model.orbit.asFramed;
    if (model) this.model.resize(model.width, model.height);
    if (map) this.map.resize(map.width, map.height);
    this.input.refreshRing();
    this.invalidate();
  }

  /** The face whose UVs lie under a texel of the map; the last one where several do. */
  faceAt(at: { x: number; y: number }): number | null {
    return this.hitAtTexel(at)?.face ?? null;
  }

  /** The surface, the face and its UV under a place of the canvas, in either view. */
  faceAtPlace(x: number, y: number): { surface: string; face: number; uv: [number, number] | null } | null {
    const { state } = useSession.getState();
    const map = this.area("map");
    const model = this.area("model");
    const inMap = map && x >= map.x;
    const hit = inMap
      ? this.hitAtTexel(this.map.texelAt(x - map.x, y - map.y))
      : model && this.model.hit(x - model.x, y - model.y, model.width, model.height);
    const surface = hit && state?.surfaces[hit.surface]?.name;
    return surface ? { surface, face: hit.face, uv: hit.uv ? [hit.uv.x, hit.uv.y] : null } : null;
  }

  /** Where else the texel under a place shows; looked for only on surfaces where the checkup found some. */
  twinsOf(hit: Hit): Twin[] {
    const geometry = this.model.geometries[hit.surface];
    const name = useSession.getState().state?.surfaces[hit.surface]?.name;
    const found = useCheckup.getState().surfaces?.find(({ surface }) => surface === name)?.findings;
    if (!geometry || !hit.uv || !found?.some(({ kind }) => kind === "shared" || kind === "outside")) return [];
    if (this.twins?.geometry !== geometry) this.twins = { geometry, finder: new Twins(geometry) };
    return this.twins.finder.of(hit.uv, hit.face);
  }

  /** The place of the model that a texel of the map lies at. */
  hitAtTexel(at: { x: number; y: number }): Hit | null {
    const surface = this.model.geometries[this.chosen];
    const overlays = this.overlays[this.chosen];
    const triangle = surface && overlays ? triangleAt(surface, overlays, at) : null;
    if (triangle === null || !surface || !overlays) return null;
    const place = placeOnTriangle(surface, overlays, triangle, at);
    return place && { ...place, surface: this.chosen, face: surface.face[triangle]! };
  }

  /** Where a place of the model lies in the map view; null when it belongs to another surface. */
  placeInMap(hit: Hit): THREE.Vector2 | null {
    const overlays = this.overlays[this.chosen];
    if (hit.surface !== this.chosen || !hit.uv || !overlays) return null;
    const [u, v] = [hit.uv.x - Math.floor(hit.uv.x), hit.uv.y - Math.floor(hit.uv.y)];
    return this.map.placeOf(u * overlays.width, v * overlays.height);
  }

  /** A radius of the map view's pixels in model units, and of model units in those pixels. */
  worldRadius(pixels: number): number {
    return pixels / this.map.pixelsPerTexel / Math.max(this.surfaceDensity(), 1e-9);
  }

  mapPixels(units: number): number {
    return units * this.surfaceDensity() * this.map.pixelsPerTexel;
  }

  private surfaceDensity(): number {
    return this.densities.of(this.model.geometries[this.chosen], this.overlays[this.chosen]);
  }

  /** See the model from a distance. */
  stand(distance: number): void {
    this.model.orbit.stand(distance);
    this.invalidate();
  }

  /** Look straight at the face under the pointer. */
  faceOn(): void {
    const hit = this.input.hitUnderPointer();
    if (hit) this.model.orbit.face(hit.point, hit.normal);
    this.invalidate();
  }

  /** Hide the part under the pointer; where there is none, show all that are hidden. */
  hidePart(): void {
    const hidden = useSession.getState().state?.hidden_parts ?? [];
    if (!this.input.isOver("model")) return;
    const hit = this.input.hitUnderPointer();
    const part = hit && usePicks.getState().mesh?.part[hit.face];
    if (part != null) this.project.send({ type: "hide_parts", parts: [...hidden, part] });
    else if (hidden.length) this.project.send({ type: "hide_parts", parts: [] });
  }

  private take(batch: Batch): void {
    this.arrivals.add(batch, useSession.getState().state?.surfaces ?? []);
    // What comes finely under a draft is not seen yet: it waits for no frame.
    const unseen = this.maps.some((maps) => maps.drafted) && batch.rectangles.every(({ coarse }) => coarse === 0);
    if (unseen && !this.frame && !this.gone) this.draw(performance.now());
    else this.askForFrame();
  }

  private draw(now: number): void {
    this.frame = 0;
    const started = performance.now();
    if (!isAsFine(this.renderer)) this.resize();
    const ready = !this.fetching && this.mesh !== null;
    const { batches, seen } = ready ? this.arrivals.bringUp(this.maps) : { batches: [], seen: false };
    const uploaded = performance.now();
    if (!this.complete && ready) this.checkComplete();
    if (this.complete && (seen || this.stale)) {
      this.stale = false;
      if (this.unframed && this.area("model")) this.model.orbit.frame(this.bars());
      this.unframed = false;
      this.paced?.begin(JSON.stringify(this.model.orbit.pose), this.project.showing, now);
      this.render("model", this.model.scene, this.model.orbit.camera);
      this.render("map", this.map.scene, this.map.camera);
      this.drawVersion();
      this.retired.release();
      this.paced?.end(this.model.triangles, !this.project.showing && this.maps.some((maps) => maps.drafted));
      this.tellPose();
      this.left.keep();
    }
    if (SWITCHES.get("measure") === "on") measureLag(this.renderer.getContext(), batches, { now, started, uploaded });
    // Acknowledged only now: a page that cannot keep up is sent less.
    for (const batch of batches) this.project.socket.send({ type: "ack", batch: batch.number });
    if (batches.length) this.canvas.dataset.batch = String(batches.at(-1)!.number);
    const pictures = this.maps.flatMap((maps) => maps.pictures);
    this.canvas.dataset.texels = String(pictures.reduce((sum, picture) => sum + picture.texels, 0));
    this.canvas.dataset.shape = this.fetching ? "" : this.shape;
    this.canvas.dataset.views = (["model", "map"] as const).filter((view) => this.area(view)).join(" ");
  }

  /** Right of the line: the version that is compared with. */
  private drawVersion(): void {
    const { ready, share } = useWipe.getState();
    if (!ready) return;
    const from = Math.round(share * this.canvas.clientWidth);
    this.model.wear(this.version.pictures);
    this.map.wear(this.version.pictures[this.chosen] ?? null);
    this.render("model", this.model.scene, this.model.orbit.camera, from);
    this.render("map", this.map.scene, this.map.camera, from);
    this.model.wear(null);
    this.map.wear(null);
  }

  /** Nothing is drawn before all pixels have come: a half-black model would say something untrue. */
  private checkComplete(): void {
    const pictures = this.maps.flatMap((maps) => maps.pictures);
    const tiles = pictures.reduce((sum, picture) => sum + picture.tiles, 0);
    const missing = pictures.reduce((sum, picture) => sum + picture.missing, 0);
    this.complete = tiles > 0 && missing === 0;
    if (tiles) this.told({ share: this.complete ? 1 : Math.min(1 - missing / tiles, 0.99) });
  }

  /** from: nothing left of it is touched, CSS pixels. */
  private render(view: "model" | "map", scene: THREE.Scene, camera: THREE.Camera, from = 0): void {
    const area = this.area(view);
    const left = Math.max(area?.x ?? 0, from);
    if (!area || left >= area.x + area.width) return;
    const bottom = this.canvas.clientHeight - area.y - area.height;
    const clip = { x: left, y: bottom, width: area.x + area.width - left, height: area.height };
    this.renderer.setViewport(area.x, bottom, area.width, area.height);
    this.renderer.setScissor(clip.x, clip.y, clip.width, clip.height);
    if (this.paced?.render(scene, camera, { ...area, y: bottom }, clip)) return;
    this.renderer.clear();
    this.renderer.render(scene, camera);
  }

  dispose(): void {
    this.gone = true;
    cancelAnimationFrame(this.frame);
    this.left.dispose();
    this.observer.disconnect();
    this.input.dispose();
    for (const stop of this.stops) stop();
    this.paced?.dispose();
    this.retired.add(this.overlays);
    this.model.dispose();
    this.retired.release();
    this.map.dispose();
    for (const maps of this.maps) maps.dispose();
    this.renderer.dispose();
  }
}
