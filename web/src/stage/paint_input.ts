import type { Pigment } from "../api/schema.generated";
import { fenceNow, maskedLike, maskLoad, receivingLayers, rememberColor, type StrokeTool, useDesk } from "../state/desk";
import { useDecals } from "../state/decals";
import { hiddenBy, lockedBy, missingFiles, missingFromView, nodesIn, type SurfaceState } from "../state/document";
import { type Said, sayOfLast, sayWhile } from "../state/notices";
import { workOn } from "../state/layers";
import { layerById, useSession } from "../state/session";
import { facesWith, pickedRuns, type Runs } from "../state/picks";
import { DecalInput } from "./decal_input";
import { ERASER, idle, type PaintDrag, type Spot } from "./paint_drag";
import { placeOnCanvas } from "./samples";
import { RegionInput } from "./region_input";
import { StrokeInput } from "./stroke_input";
import type { Views } from "./views";
import { lacksUvs } from "./without_uvs";

/** A load that takes every map away. */
const EVERY_MAP: Pigment = { base_color: "#000000", roughness: 0, metallic: 0, height: 0.5, opacity: 1 };

/** What holds no paint of its own, as one says it. */
const KINDS = { wash: "a wash", group: "a group", adjustment: "an adjustment", decals: "a layer of decals" };

/** What presses do in the Paint stage, on the model and in the map. */
export class PaintInput {
  private readonly strokes: StrokeInput;
  readonly regions: RegionInput;
  readonly decals: DecalInput;

  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly views: Views,
  ) {
    this.strokes = new StrokeInput(canvas, views);
    this.regions = new RegionInput(views);
    this.decals = new DecalInput(canvas, views);
  }

  /** Begin what the tool does; null when nothing can be done there. */
  press(event: PointerEvent, spot: Spot): PaintDrag | null {
    const tool = event.button === ERASER ? "erase" : useDesk.getState().tool;
    if (tool === "pick") return this.regions.press(event, spot, spot.area, "texel" in spot);
    const surface = this.surfaceAt(spot);
    const onDecals = tool !== "sample" && this.decals.takes(surface);
    if (!onDecals && (tool === "sample" || (event.ctrlKey && !event.shiftKey))) return this.sample(spot);
    this.follow(spot);
    if (onDecals && surface) return this.pressDecals(event, spot, surface);
    if (!this.receives(spot)) return idle();
    if (tool === "fill") return this.fill(spot);
    if (tool === "gradient") return this.gradient(spot);
    return this.strokes.press(event, spot, tool as StrokeTool);
  }

  /** A click met nothing, and did not turn the view either. */
  miss(event: PointerEvent): void {
    const { stage, tool } = useDesk.getState();
    const meant = event.ctrlKey || useDecals.getState().inHand || ["fill", "gradient", "sample"].includes(tool);
    if (stage === "paint" && meant) sayOfLast("No part of the model lies there.");
  }

  takeSource(spot: Spot): void {
    this.strokes.takeSource(spot);
  }

  stop(): void {
    this.strokes.stop();
  }

  /** Beside all decals the chosen one is let go; where none was, a stroke was meant, and its maker is told. */
  private pressDecals(event: PointerEvent, spot: Spot, surface: SurfaceState): PaintDrag | null {
    const { chosen } = useDecals.getState();
    const drag = this.decals.press(event, spot, surface);
    if (!drag && !chosen) this.receives(spot);
    return drag;
  }

  /** The stack shows the surface that is painted; one without the mask that receives strokes is not. */
  private follow(spot: Spot): void {
    const { state } = useSession.getState();
    const surface = this.surfaceAt(spot);
    const desk = useDesk.getState();
    if (!state || !surface || surface.name === desk.surface) return;
    if (!desk.maskTarget || maskedLike(state, surface)) workOn(surface.name);
  }

  private surfaceAt(spot: Spot) {
    return useSession.getState().state?.surfaces["hit" in spot ? spot.hit.surface : this.views.chosen];
  }

  /** Whether a layer of the surface can take paint; if not, the painter is told, with the cure. */
  private receives(spot: Spot): boolean {
    const surface = this.surfaceAt(spot);
    if (!surface) return false;
    const { project } = this.views;
    const { state } = useSession.getState();
    const desk = useDesk.getState();
    const layer = state && layerById(state, receivingLayers(state)[surface.name] ?? "");
    const hidden = layer && hiddenBy(surface, layer);
    const locked = layer && lockedBy(surface, layer);
    const chosen = () => useDesk.getState().layers[surface.name];
    const before = chosen();
    const tell = (...said: Said) => sayWhile(() => chosen() === before && !this.takesPaint(surface.name), ...said);
    if (missingFromView(surface)) {
      tell(`${surface.name} shows a hatched pattern until it has ${missingFiles(surface)}; paint would not be seen there.`, "Do without", () => project.send({ type: "do_without_pictures", surface: surface.name }));
    } else if (!layer && desk.maskTarget) {
      const masked = layerById(state, desk.maskTarget);
      tell(`Strokes go to the mask of ${masked?.name ?? "a layer"}, and ${surface.name} has no mask of that name.`, "Paint on its layer", () => workOn(surface.name));
    } else if (!layer) {
      tell(`${surface.name} has no layer yet that could take paint.`, "Add one", () => project.send({ type: "add_node", surface: surface.name, kind: "brushed", above: null }));
    } else if (layer.kind !== "brushed" && !desk.maskTarget) {
      const inside = nodesIn(surface, layer.id).findLast(({ kind }) => kind === "brushed");
      const said = `${layer.name} is ${KINDS[layer.kind]} and holds no paint of its own.`;
      if (inside) tell(said, `Paint on ${inside.name}`, () => project.choose(inside.id));
      else if (layer.mask) tell(said, "Paint on its mask", () => project.choose(layer.id, true));
      else tell(said, "Add a layer above", () => project.send({ type: "add_node", surface: surface.name, kind: "brushed", above: layer.id }));
    } else if (hidden) {
      tell(`The ${hidden.kind === "group" ? "group" : "layer"} ${hidden.name} of ${surface.name} is hidden.`, "Show it", () => project.send({ type: "change_node", node: hidden.id, visible: true }));
    } else if (locked) {
      tell(`The ${locked.kind === "group" ? "group" : "layer"} ${locked.name} of ${surface.name} is locked.`, "Unlock it", () => project.send({ type: "change_node", node: locked.id, locked: false }));
    }
    return this.takesPaint(surface.name);
  }

  /** Whether what is chosen on a surface can take paint, as all stands now. */
  private takesPaint(name: string): boolean {
    const { state } = useSession.getState();
    const surface = state?.surfaces.find((candidate) => candidate.name === name);
    const layer = state && surface && layerById(state, receivingLayers(state)[name] ?? "");
    if (!layer || hiddenBy(surface, layer) || lockedBy(surface, layer)) return false;
    return layer.kind === "brushed" || useDesk.getState().maskTarget !== null;
  }

  private sample(spot: Spot): PaintDrag | null {
    if (lacksUvs(spot)) return idle();
    const uv = this.uvOf(spot);
    const surface = this.surfaceAt(spot)?.name;
    if (!uv || !surface) return null;
    const { sampleLayer, layers } = useDesk.getState();
    this.views.project.send({ type: "sample", surface, uv, layer: sampleLayer ? (layers[surface] ?? null) : null });
    return idle();
  }

  private fill(spot: Spot): PaintDrag | null {
    const { state } = useSession.getState();
    const desk = useDesk.getState();
    const { pigment: load, fillBy, fillAway: away, eraseAll, tolerance, softness, mirror } = desk;
    const layers = state ? receivingLayers(state) : {};
    const layer = layers[this.surfaceAt(spot)?.name ?? ""];
    if (!state || !layer) return null;
    const [mask_value, fence] = [maskLoad(desk), fenceNow(desk)];
    const pigment = away && eraseAll ? EVERY_MAP : load;
    const face = "hit" in spot ? spot.hit.face : this.views.faceAt(spot.texel);
    const uv = this.uvOf(spot);
    if (!away) rememberColor(load.base_color);
    const { project } = this.views;
    const fill = (faces: Runs | null, region: string | null = null) =>
      project.send({ type: "fill", pigment, layer, layers, faces, region, away, mirror, mask_value, fence });
    if (fillBy === "color") {
      if (!lacksUvs(spot) && uv) project.send({ type: "fill_color", layer, pigment, face: face ?? 0, uv, tolerance, softness, away, mask_value, fence });
    } else if (fillBy === "region") {
      if (desk.fence) fill(null, desk.fence);
      else sayOfLast("Choose a region first: click its fence in the list of regions.");
    } else if (fillBy === "surface") fill(null);
    else if (fillBy === "picked") {
      const picked = pickedRuns();
      if (picked) fill(picked);
      else sayOfLast("No faces are picked. Pick some in Prepare, and come back to fill them.");
    } else if (face !== null) fill(runsOf(facesWith(face, fillBy)));
    else sayOfLast("No face that is shown lies there.");
    return idle();
  }

  private gradient(spot: Spot): PaintDrag | null {
    if (!("hit" in spot)) {
      sayOfLast("A gradient runs between two points of the model: drag on the model.");
      return idle();
    }
    const { area, hit } = spot;
    let end = hit.point;
    return {
      stroke: 0,
      from: { x: this.views.model.placeOf(hit.point, area.width, area.height).x + area.x, y: this.views.model.placeOf(hit.point, area.width, area.height).y },
      move: (event) => {
        const { x, y } = placeOnCanvas(this.canvas, event);
        const next = this.views.model.hit(x - area.x, y - area.y, area.width, area.height);
        if (next) end = next.point;
      },
      cancel: () => undefined,
      release: () => {
        if (end.equals(hit.point)) return sayOfLast("A gradient runs between two points: press where it begins, and drag to where it ends.");
        const desk = useDesk.getState();
        const { pigment, otherPigment } = desk;
        const { state } = useSession.getState();
        const layers = state ? receivingLayers(state) : {};
        const layer = layers[state?.surfaces[hit.surface]?.name ?? ""];
        const mask_values: [number, number] | null = desk.maskTarget ? [desk.maskValue, desk.otherMaskValue] : null;
        if (!state || !layer) return;
        const pigments: [typeof pigment, typeof otherPigment] = [pigment, otherPigment];
        this.views.project.send({ type: "gradient", layer, layers, start: hit.point.toArray(), end: end.toArray(), pigments, mask_values, mirror: desk.mirror, fence: fenceNow(desk) });
      },
    };
  }

  private uvOf(spot: Spot): [number, number] | null {
    if ("texel" in spot) {
      const { width, height } = this.views.overlays[this.views.chosen]!;
      return [spot.texel.x / width, spot.texel.y / height];
    }
    return spot.hit.uv ? [spot.hit.uv.x, spot.hit.uv.y] : null;
  }
}

function runsOf(faces: number[]): Runs {
  const runs: Runs = [];
  for (const face of faces) {
    const last = runs.at(-1);
    if (last && last[1] === face) last[1] = face + 1;
    else runs.push([face, face + 1]);
  }
  return runs;
}
