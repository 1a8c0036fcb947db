import * as THREE from "three";

import type { BeginStroke, CloneSource } from "../api/schema.generated";
import { receivingLayers, rememberColor, type StrokeTool, useDesk } from "../state/desk";
import { facesWith, pickedRuns, type Runs } from "../state/picks";
import { useSession } from "../state/session";
import type { Hit } from "./model_view";
import type { Area, Views } from "./views";

/** The mouse has no pressure; the platform's 0.5 would halve every stroke. */
const pressureOf = (event: PointerEvent) => (event.pointerType === "pen" ? event.pressure : 1);

/** How far the pen is tilted to the right and down, from upright to flat as 0 to 1. */
const tiltOf = (event: PointerEvent): [number, number] => [
  Math.sin((event.tiltX * Math.PI) / 180), Math.sin((event.tiltY * Math.PI) / 180),
]; // prettier-ignore

/** How often a brush that builds up lays paint while it rests, in milliseconds. */
const REST = 1000 / 60;
const CLICK_TOOLS = ["fill", "gradient", "sample"];

interface PenSample {
  x: number;
  y: number;
  pressure: number;
  tilt: [number, number];
}

type Point = [number, number, number];

/** A stroke or another act of painting, from press to release. */
export interface PaintDrag {
  /** The number under which the server knows the stroke; 0 for acts that are none. */
  stroke: number;
  move: (event: PointerEvent) => void;
  release: (event: PointerEvent) => void;
  /** For a straight line: where it begins on the canvas. */
  from?: { x: number; y: number };
}

/** Where a press met the model or the map. */
export type Spot = { area: Area; hit: Hit } | { area: Area; texel: THREE.Vector2 };

/** What presses do in the Paint stage, on the model and in the map. */
export class PaintInput {
  private strokes = 0;
  /** Where the last stroke ended: a Shift click goes on from there. */
  private last: { view: "model" | "map"; x: number; y: number } | null = null;
  private source: { point: Point; normal: Point } | null = null;
  private anchor: { point: Point; normal: Point } | null = null;
  private restTimer = 0;

  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly views: Views,
  ) {}

  /** Begin what the tool does; null when nothing can be done there. */
  press(event: PointerEvent, spot: Spot): PaintDrag | null {
    const { tool } = useDesk.getState();
    if (tool === "sample" || event.ctrlKey) return this.sample(spot);
    if (tool === "fill") return this.fill(spot);
    if (tool === "gradient") return this.gradient(spot);
    if (CLICK_TOOLS.includes(tool)) return null;
    return this.stroke(event, spot, tool as StrokeTool);
  }

  /** The place under the pointer becomes the source of clone. */
  takeSource(spot: Spot): void {
    this.source = placeOf(spot);
    this.anchor = null;
    useSession.setState({ notice: "Clone takes paint from here. Now paint where it should go." });
  }

  private stroke(event: PointerEvent, spot: Spot, tool: StrokeTool): PaintDrag | null {
    const { state, connected } = useSession.getState();
    if (!state) return null;
    if (!connected) {
      useSession.setState({ notice: "The connection is lost, so this stroke could not be kept. It comes back by itself." });
      return idle();
    }
    if (tool === "clone" && !this.source) {
      this.takeSource(spot);
      return idle();
    }
    const { tip, pigment, mirror } = useDesk.getState();
    const stroke = ++this.strokes;
    const { area } = spot;
    const inMap = "texel" in spot;
    const message: BeginStroke = {
      type: "begin", stroke, tool, pigment, mirror,
      // In the map pixels of the screen are texels of the map, as many as are seen.
      tip: inMap && tip.unit === "px" ? { ...tip, radius: tip.radius / this.views.map.pixelsPerTexel } : tip,
      camera: inMap ? null : this.views.model.describe(area.width, area.height),
      in_map: inMap ? state.surfaces[this.views.chosen]!.name : null,
      seed: Math.floor(Math.random() * 2 ** 31),
      source: tool === "clone" ? this.cloneSource(spot) : null,
      layers: receivingLayers(state),
    }; // prettier-ignore
    useSession.setState({ notice: null });
    this.views.project.send(message);
    if (tool === "brush") rememberColor(pigment.base_color);
    const view = inMap ? "map" : "model";
    const send = (points: PenSample[], stamp: number) => {
      const samples = points.flatMap(({ x, y, pressure, tilt }) => [...this.sampleAt(x, y, area, inMap), pressure, ...tilt]);
      this.views.project.socket.sendSamples(stroke, samples, stamp);
    };
    const goesOn = event.shiftKey && this.last?.view === view ? this.last : null;
    if (goesOn) send([{ ...this.sampled(event), ...goesOn }], event.timeStamp);
    let now = this.sampled(event);
    send([now], event.timeStamp);
    const straight = event.shiftKey;
    const from = { x: now.x, y: now.y };
    if (tip.build_up && !straight) this.rest(() => send([now], performance.now()));
    return {
      stroke,
      from: straight ? from : undefined,
      move: (next) => {
        const all = straight ? [] : next.getCoalescedEvents();
        now = this.sampled(next);
        if (straight) return;
        // All samples since the last event go in one message.
        send((all.length ? all : [next]).map((e) => this.sampled(e)), next.timeStamp);
      },
      release: (end) => {
        clearInterval(this.restTimer);
        if (straight) send([{ ...now, ...straightTo(from, now, end.ctrlKey), pressure: 1 }], end.timeStamp);
        this.last = { view, ...(straight ? straightTo(from, now, end.ctrlKey) : now) };
        this.views.project.send({ type: "end", stroke });
      },
    };
  }

  private rest(again: () => void): void {
    clearInterval(this.restTimer);
    this.restTimer = window.setInterval(again, REST);
  }

  stop(): void {
    clearInterval(this.restTimer);
  }

  private onCanvas(event: PointerEvent): { x: number; y: number } {
    const box = this.canvas.getBoundingClientRect();
    return { x: event.clientX - box.x, y: event.clientY - box.y };
  }

  private sampled(event: PointerEvent): PenSample {
    return { ...this.onCanvas(event), pressure: pressureOf(event), tilt: tiltOf(event) };
  }

  /** A place of the canvas as the stroke counts it: pixels of the view, or texels. */
  private sampleAt(x: number, y: number, area: Area, inMap: boolean): [number, number] {
    if (!inMap) return [x - area.x, y - area.y];
    const texel = this.views.map.texelAt(x - area.x, y - area.y);
    return [texel.x, texel.y];
  }

  private cloneSource(spot: Spot): CloneSource {
    const here = placeOf(spot);
    const { cloneAligned } = useDesk.getState();
    // Aligned: source and stroke keep the distance of the first stroke.
    this.anchor = cloneAligned ? (this.anchor ?? here) : here;
    return { point: this.source!.point, normal: this.source!.normal, anchor: this.anchor.point, anchor_normal: this.anchor.normal };
  }

  private sample(spot: Spot): PaintDrag | null {
    const uv = this.uvOf(spot);
    const { state } = useSession.getState();
    const surface = state?.surfaces["hit" in spot ? spot.hit.surface : this.views.chosen]?.name;
    if (!uv || !surface) return null;
    const { sampleLayer, layers } = useDesk.getState();
    this.views.project.send({ type: "sample", surface, uv, layer: sampleLayer ? (layers[surface] ?? null) : null });
    return idle();
  }

  private fill(spot: Spot): PaintDrag | null {
    const { state } = useSession.getState();
    const index = "hit" in spot ? spot.hit.surface : this.views.chosen;
    const surface = state?.surfaces[index]?.name;
    const { layers: chosen, pigment, fillBy, fillAway: away, tolerance } = useDesk.getState();
    const layer = surface && chosen[surface];
    if (!state || !layer) return null;
    if (surface !== useDesk.getState().surface) useDesk.setState({ surface });
    const face = "hit" in spot ? spot.hit.face : this.views.faceAt(spot.texel);
    const uv = this.uvOf(spot);
    if (!away) rememberColor(pigment.base_color);
    const { project } = this.views;
    const layers = receivingLayers(state);
    const fill = (faces: Runs | null) => project.send({ type: "fill", pigment, layer, layers, faces, away });
    if (fillBy === "color") {
      if (uv) project.send({ type: "fill_color", layer, pigment, face: face ?? 0, uv, tolerance, away });
    } else if (fillBy === "surface") fill(null);
    else if (fillBy === "picked") {
      const picked = pickedRuns();
      if (picked) fill(picked);
      else useSession.setState({ notice: "No faces are picked. Pick some in Prepare, and come back to fill them." });
    } else if (face !== null) fill(runsOf(facesWith(face, fillBy)));
    return idle();
  }

  private gradient(spot: Spot): PaintDrag | null {
    if (!("hit" in spot)) {
      useSession.setState({ notice: "A gradient runs between two points of the model: drag on the model." });
      return idle();
    }
    const { area, hit } = spot;
    let end = hit.point;
    return {
      stroke: 0,
      from: { x: this.views.model.placeOf(hit.point, area.width, area.height).x + area.x, y: this.views.model.placeOf(hit.point, area.width, area.height).y },
      move: (event) => {
        const { x, y } = this.onCanvas(event);
        const next = this.views.model.hit(x - area.x, y - area.y, area.width, area.height);
        if (next) end = next.point;
      },
      release: () => {
        const { layers, pigment, otherPigment } = useDesk.getState();
        const layer = layers[useSession.getState().state?.surfaces[hit.surface]?.name ?? ""];
        if (!layer || end.distanceTo(hit.point) < 1e-9) return;
        const pigments: [typeof pigment, typeof otherPigment] = [pigment, otherPigment];
        this.views.project.send({ type: "gradient", layer, start: hit.point.toArray(), end: end.toArray(), pigments });
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

const idle = (): PaintDrag => ({ stroke: 0, move: () => undefined, release: () => undefined });

function placeOf(spot: Spot): { point: Point; normal: Point } {
  if ("hit" in spot) return { point: spot.hit.point.toArray(), normal: spot.hit.normal.toArray() };
  return { point: [spot.texel.x, spot.texel.y, 0], normal: [0, 0, 1] };
}

/** The end of a straight line; bound to multiples of 45 degrees when wanted. */
export function straightTo(from: { x: number; y: number }, to: { x: number; y: number }, bound: boolean): { x: number; y: number } {
  if (!bound) return { x: to.x, y: to.y };
  const step = Math.PI / 4;
  const angle = Math.round(Math.atan2(to.y - from.y, to.x - from.x) / step) * step;
  const length = Math.hypot(to.x - from.x, to.y - from.y);
  return { x: from.x + length * Math.cos(angle), y: from.y + length * Math.sin(angle) };
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
