import * as THREE from "three";

import type { BeginStroke, CloneSource, Pigment, Stencil, Tip } from "../api/schema.generated";
import { type CloneOrigin, fenceNow, maskLoad, receivingLayers, rememberColor, type StrokeTool, useDesk } from "../state/desk";
import { sayBriefly, sayWhile } from "../state/notices";
import { useSession } from "../state/session";
import { idle, type PaintDrag, type Spot } from "./paint_drag";
import { counted, movements, placeOnCanvas, type PenSample, sampleOf, straightTo } from "./samples";
import { applyStencil, liesOver, stamps, stencilIn } from "./stencil";
import type { Views } from "./views";
import { lacksUvs } from "./without_uvs";

/** How often a brush that builds up lays paint while it rests, in milliseconds. */
const REST = 1000 / 60;
/** Pixels from which on a press with Shift is a drag. */
const DRAGGED = 4;
/** The longest string and taper that a tip can have, in texels. */
const [LONGEST_STRING, LONGEST_TAPER] = [1000, 10_000];
const EVERY_MAP: Pigment = { base_color: null, roughness: null, metallic: null, height: null, opacity: null };

type Place = { x: number; y: number };
/** Where a stroke ended, on the model or in the map of a surface: it stays there when the view moves. */
type End = { point: THREE.Vector3 } | { texel: THREE.Vector2; surface: number };

/** Strokes, from press to release: freehand, straight, on from the last one, cloned. */
export class StrokeInput {
  private strokes = 0;
  private last: End | null = null;
  private anchor: { point: CloneOrigin["point"]; normal: CloneOrigin["normal"] } | null = null;
  private restTimer = 0;

  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly views: Views,
  ) {}

  /** The place under the pointer becomes the source of clone. */
  takeSource(spot: Spot): void {
    if (lacksUvs(spot)) return;
    const surface = "texel" in spot ? this.views.chosenName : null;
    useDesk.setState({ cloneSource: { ...placeOf(spot), surface } });
    this.anchor = null;
    sayBriefly("Clone takes paint from here. Now paint where it should go.");
  }

  press(event: PointerEvent, spot: Spot, tool: StrokeTool): PaintDrag | null {
    const { state, connected } = useSession.getState();
    if (!state) return null;
    if (!connected) {
      sayWhile(() => !useSession.getState().connected, "The connection is lost, so this stroke could not be kept. It comes back by itself.");
      return idle();
    }
    if (tool === "brush" && stamps()) {
      applyStencil(this.views);
      return idle();
    }
    if (this.stencil(spot, tool) && !liesOver(spot.area, this.views.canvas)) {
      const { stencil } = useDesk.getState();
      sayWhile(() => useDesk.getState().stencil === stencil, `The stencil lies over the ${"texel" in spot ? "model" : "map"}. Move it here, or put it away (Z).`);
      return idle();
    }
    if (tool === "clone" && !useDesk.getState().cloneSource) {
      this.takeSource(spot);
      return idle();
    }
    if (tool === "clone" && !this.sourceFits(spot)) return idle();
    return event.shiftKey ? this.straight(event, spot, tool) : this.freehand(event, spot, tool);
  }

  private freehand(event: PointerEvent, spot: Spot, tool: StrokeTool): PaintDrag {
    const stroke = this.begin(spot, tool);
    let now = sampleOf(this.canvas, event);
    const send = (points: PenSample[], stamp: number) => this.send(stroke, points, spot, stamp);
    send([now], event.timeStamp);
    if (useDesk.getState().tip.build_up) this.rest(() => send([now], performance.now()));
    return {
      stroke,
      move: (next) => {
        now = sampleOf(this.canvas, next);
        // All samples since the last event go in one message.
        send(movements(next).map((each) => sampleOf(this.canvas, each)), next.timeStamp);
      },
      release: () => {
        clearInterval(this.restTimer);
        this.end(stroke, spot, now);
      },
    };
  }

  /** A drag draws from press to release; a click goes on from where the last stroke ended. */
  private straight(event: PointerEvent, spot: Spot, tool: StrokeTool): PaintDrag {
    const pressed = sampleOf(this.canvas, event);
    return {
      stroke: 0,
      from: { x: pressed.x, y: pressed.y },
      move: () => undefined,
      cancel: () => undefined,
      release: (end) => {
        const released = placeOnCanvas(this.canvas, end);
        const dragged = Math.hypot(released.x - pressed.x, released.y - pressed.y) >= DRAGGED;
        const from = dragged ? pressed : (this.lastPlace(spot) ?? pressed);
        const to = dragged || from !== pressed ? straightTo(from, dragged ? released : pressed, end.ctrlKey) : pressed;
        const stroke = this.begin(spot, tool);
        const line = to === pressed ? [pressed] : [{ ...pressed, ...from }, { ...pressed, ...to }];
        this.send(stroke, line, spot, end.timeStamp);
        this.end(stroke, spot, to);
      },
    };
  }

  /** What a stroke goes through; the eraser through none that clicks lay on. */
  private stencil(spot: Spot, tool: StrokeTool): Stencil | null {
    return tool === "erase" && stamps() ? null : stencilIn(this.views, spot.area, "texel" in spot);
  }

  /** Tell the server that a stroke begins; returns its number. */
  private begin(spot: Spot, tool: StrokeTool): number {
    const { state } = useSession.getState();
    const desk = useDesk.getState();
    const { tip, pigment, mirror, eraseAll, touchFence } = desk;
    const region = fenceNow(desk);
    const stroke = ++this.strokes;
    const inMap = "texel" in spot;
    const message: BeginStroke = {
      type: "begin", stroke, tool, mirror,
      pigment: tool === "erase" && eraseAll ? EVERY_MAP : pigment,
      tip: inMap ? inTexels(tip, this.views.map.pixelsPerTexel) : tip,
      camera: inMap ? null : this.views.model.describe(spot.area.width, spot.area.height),
      in_map: inMap ? state!.surfaces[this.views.chosen]!.name : null,
      seed: Math.floor(Math.random() * 2 ** 31),
      source: tool === "clone" ? this.cloneSource(spot) : null,
      mask_value: maskLoad(desk),
      stencil: this.stencil(spot, tool),
      fence: region || touchFence ? { region, touch: touchFence } : null,
      layers: receivingLayers(state!),
    }; // prettier-ignore
    useSession.setState({ notice: null });
    this.views.project.send(message);
    if (tool === "brush" && !desk.maskTarget) rememberColor(pigment.base_color);
    return stroke;
  }

  private send(stroke: number, points: PenSample[], spot: Spot, stamp: number): void {
    this.views.project.socket.sendSamples(stroke, counted(points, this.views, spot.area, "texel" in spot), stamp);
  }

  private end(stroke: number, spot: Spot, at: Place): void {
    const { area } = spot;
    if ("texel" in spot) {
      this.last = { texel: this.views.map.texelAt(at.x - area.x, at.y - area.y), surface: this.views.chosen };
    } else {
      const hit = this.views.model.hit(at.x - area.x, at.y - area.y, area.width, area.height);
      this.last = hit && { point: hit.point };
    }
    this.views.project.send({ type: "end", stroke });
  }

  /** Where the last stroke ended, on the canvas as it is seen now; null when that was elsewhere. */
  private lastPlace(spot: Spot): Place | null {
    const { last } = this;
    const { area } = spot;
    if (!last || "texel" in spot !== "texel" in last) return null;
    if ("point" in last) {
      const { x, y } = this.views.model.placeOf(last.point, area.width, area.height);
      return { x: x + area.x, y: y + area.y };
    }
    if (last.surface !== this.views.chosen) return null;
    const { x, y } = this.views.map.placeOf(last.texel.x, last.texel.y);
    return { x: x + area.x, y: y + area.y };
  }

  private rest(again: () => void): void {
    clearInterval(this.restTimer);
    this.restTimer = window.setInterval(again, REST);
  }

  stop(): void {
    clearInterval(this.restTimer);
  }

  /** Whether clone's source lies where the stroke goes; if not, the painter is told. */
  private sourceFits(spot: Spot): boolean {
    const { surface } = useDesk.getState().cloneSource!;
    const here = "texel" in spot ? this.views.chosenName : null;
    if (surface === here) return true;
    const there = surface === null ? "on the model" : `in the map of ${surface}`;
    const { cloneSource } = useDesk.getState();
    sayWhile(() => useDesk.getState().cloneSource === cloneSource, `Clone's source lies ${there}. Hold C and click here to choose another, or paint there.`);
    return false;
  }

  private cloneSource(spot: Spot): CloneSource {
    const here = placeOf(spot);
    const { cloneAligned, cloneSource } = useDesk.getState();
    // Aligned: source and stroke keep the distance of the first stroke.
    this.anchor = cloneAligned ? (this.anchor ?? here) : here;
    return { point: cloneSource!.point, normal: cloneSource!.normal, anchor: this.anchor.point, anchor_normal: this.anchor.normal };
  }
}

/** In the map pixels of the screen are texels, as many as are seen. */
function inTexels(tip: Tip, scale: number): Tip {
  return {
    ...tip,
    radius: tip.unit === "px" ? tip.radius / scale : tip.radius,
    stabilizer: Math.min((tip.stabilizer ?? 0) / scale, LONGEST_STRING),
    taper: Math.min((tip.taper ?? 0) / scale, LONGEST_TAPER),
  };
}

function placeOf(spot: Spot): { point: CloneOrigin["point"]; normal: CloneOrigin["normal"] } {
  if ("hit" in spot) return { point: spot.hit.point.toArray(), normal: spot.hit.normal.toArray() };
  return { point: [spot.texel.x, spot.texel.y, 0], normal: [0, 0, 1] };
}
