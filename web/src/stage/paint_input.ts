import type { Pigment } from "../api/schema.generated";
import { receivingLayers, rememberColor, type StrokeTool, useDesk } from "../state/desk";
import { layerById, say, useSession } from "../state/session";
import { facesWith, pickedRuns, type Runs } from "../state/picks";
import { idle, type PaintDrag, type Spot } from "./paint_drag";
import { placeOnCanvas } from "./samples";
import { StrokeInput } from "./stroke_input";
import type { Views } from "./views";

/** A load that takes every map away. */
const EVERY_MAP: Pigment = { base_color: "#000000", roughness: 0, metallic: 0, height: 0.5 };

/** What presses do in the Paint stage, on the model and in the map. */
export class PaintInput {
  private readonly strokes: StrokeInput;

  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly views: Views,
  ) {
    this.strokes = new StrokeInput(canvas, views);
  }

  /** Begin what the tool does; null when nothing can be done there. */
  press(event: PointerEvent, spot: Spot): PaintDrag | null {
    const { tool } = useDesk.getState();
    if (tool === "sample" || (event.ctrlKey && !event.shiftKey)) return this.sample(spot);
    this.follow(spot);
    if (!this.receives(spot)) return idle();
    if (tool === "fill") return this.fill(spot);
    if (tool === "gradient") return this.gradient(spot);
    return this.strokes.press(event, spot, tool as StrokeTool);
  }

  takeSource(spot: Spot): void {
    this.strokes.takeSource(spot);
  }

  stop(): void {
    this.strokes.stop();
  }

  /** The stack shows the surface that is painted. */
  private follow(spot: Spot): void {
    const surface = this.surfaceAt(spot);
    if (surface && surface.name !== useDesk.getState().surface) useDesk.setState({ surface: surface.name });
  }

  private surfaceAt(spot: Spot) {
    return useSession.getState().state?.surfaces["hit" in spot ? spot.hit.surface : this.views.chosen];
  }

  /** Whether a layer of the surface can take paint; if not, the painter is told, with the cure. */
  private receives(spot: Spot): boolean {
    const surface = this.surfaceAt(spot);
    if (!surface) return false;
    const { project } = this.views;
    const layer = layerById(useSession.getState().state, useDesk.getState().layers[surface.name] ?? "");
    if (!layer) {
      say(`${surface.name} has no layer yet that could take paint.`, "Add one", () => project.send({ type: "add_layer", surface: surface.name, above: null }));
    } else if (!layer.visible) {
      say(`The layer ${layer.name} of ${surface.name} is hidden.`, "Show it", () => project.send({ type: "change_layer", layer: layer.id, visible: true }));
    }
    return !!layer?.visible;
  }

  private sample(spot: Spot): PaintDrag | null {
    const uv = this.uvOf(spot);
    const surface = this.surfaceAt(spot)?.name;
    if (!uv || !surface) return null;
    const { sampleLayer, layers } = useDesk.getState();
    this.views.project.send({ type: "sample", surface, uv, layer: sampleLayer ? (layers[surface] ?? null) : null });
    return idle();
  }

  private fill(spot: Spot): PaintDrag | null {
    const { state } = useSession.getState();
    const { layers: chosen, pigment: load, fillBy, fillAway: away, eraseAll, tolerance, mirror } = useDesk.getState();
    const layer = chosen[this.surfaceAt(spot)?.name ?? ""];
    if (!state || !layer) return null;
    const pigment = away && eraseAll ? EVERY_MAP : load;
    const face = "hit" in spot ? spot.hit.face : this.views.faceAt(spot.texel);
    const uv = this.uvOf(spot);
    if (!away) rememberColor(load.base_color);
    const { project } = this.views;
    const layers = receivingLayers(state);
    const fill = (faces: Runs | null) => project.send({ type: "fill", pigment, layer, layers, faces, away, mirror });
    if (fillBy === "color") {
      if (uv) project.send({ type: "fill_color", layer, pigment, face: face ?? 0, uv, tolerance, away });
    } else if (fillBy === "surface") fill(null);
    else if (fillBy === "picked") {
      const picked = pickedRuns();
      if (picked) fill(picked);
      else say("No faces are picked. Pick some in Prepare, and come back to fill them.");
    } else if (face !== null) fill(runsOf(facesWith(face, fillBy)));
    return idle();
  }

  private gradient(spot: Spot): PaintDrag | null {
    if (!("hit" in spot)) {
      say("A gradient runs between two points of the model: drag on the model.");
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
      release: () => {
        const { layers: chosen, pigment, otherPigment } = useDesk.getState();
        const { state } = useSession.getState();
        const layer = chosen[state?.surfaces[hit.surface]?.name ?? ""];
        if (!state || !layer || end.distanceTo(hit.point) < 1e-9) return;
        const pigments: [typeof pigment, typeof otherPigment] = [pigment, otherPigment];
        this.views.project.send({ type: "gradient", layer, layers: receivingLayers(state), start: hit.point.toArray(), end: end.toArray(), pigments });
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
