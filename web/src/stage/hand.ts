import { receivingLayers, useDesk } from "../state/desk";
import { useSession } from "../state/session";
import { PrepareHand, type PrepareDrag } from "./prepare_hand";
import type { Area, Stage } from "./stage";

/** The mouse has no pressure; the platform's 0.5 would halve every stroke. */
const pressureOf = (event: PointerEvent) => (event.pointerType === "pen" ? event.pressure : 1);

type Drag =
  | ({ kind: "prepare"; pointer: number } & PrepareDrag)
  | { kind: "stroke"; pointer: number; stroke: number; area: Area }
  | { kind: "orbit" | "pan" | "slide"; pointer: number; x: number; y: number };

/** What pointers do on the canvas: paint on the model, turn it, move the map, and carry the brush ring. */
export class Hand {
  private drag: Drag | null = null;
  private touches = new Map<number, { x: number; y: number }>();
  private strokes = 0;
  private last: { x: number; y: number } | null = null;
  private readonly prepare: PrepareHand;
  private readonly abort = new AbortController();

  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly stage: Stage,
  ) {
    this.prepare = new PrepareHand(stage);
    const { signal } = this.abort;
    const listen = <K extends keyof HTMLElementEventMap>(name: K, handle: (event: HTMLElementEventMap[K]) => void) =>
      canvas.addEventListener(name, handle, { signal, passive: false });
    listen("pointerdown", (event) => this.press(event));
    listen("pointermove", (event) => this.move(event));
    listen("pointerup", (event) => this.release(event));
    listen("pointercancel", (event) => this.release(event));
    listen("pointerleave", () => {
      this.last = null;
      if (!this.drag) this.refreshRing();
    });
    listen("wheel", (event) => this.wheel(event));
    listen("contextmenu", (event) => event.preventDefault());
  }

  /** The server has ended a stroke: by our own release, a refusal, or a lost connection (-1). */
  strokeEnded(stroke: number): void {
    if (this.drag?.kind === "stroke" && (stroke === -1 || stroke === this.drag.stroke)) this.drag = null;
  }

  private viewAt(event: MouseEvent): "model" | "map" | null {
    for (const view of ["model", "map"] as const) {
      const area = this.stage.area(view);
      if (area && event.offsetX >= area.x && event.offsetX < area.x + area.width) return view;
    }
    return null;
  }

  private press(event: PointerEvent): void {
    if (this.drag?.kind === "stroke") return;
    this.canvas.setPointerCapture(event.pointerId);
    event.preventDefault();
    const { pointerId: pointer, clientX: x, clientY: y } = event;
    if (this.viewAt(event) === "map") {
      this.drag = this.prepareMap(event) ?? { kind: "slide", pointer, x, y };
      return;
    }
    if (event.pointerType === "touch") this.touches.set(pointer, { x, y });
    const paints = event.button === 0 && event.pointerType !== "touch" && !event.altKey;
    if (paints && (useDesk.getState().stage === "prepare" ? this.prepareModel(event) : this.beginStroke(event))) return;
    const pans = event.button === 1 || event.shiftKey;
    this.drag = { kind: pans ? "pan" : "orbit", pointer, x, y };
  }

  private prepareMap(event: PointerEvent): Drag | null {
    const area = this.stage.area("map");
    if (event.button !== 0 || event.altKey || useDesk.getState().stage !== "prepare" || !area) return null;
    const drag = this.prepare.pressMap(event, area);
    return drag && { kind: "prepare", pointer: event.pointerId, ...drag };
  }

  private prepareModel(event: PointerEvent): boolean {
    const area = this.stage.area("model");
    const hit = area && this.stage.model.hit(event.offsetX, event.offsetY, area.width, area.height);
    if (!area || !hit) return false;
    this.drag = { kind: "prepare", pointer: event.pointerId, ...this.prepare.pressModel(event, hit, area) };
    return true;
  }

  private beginStroke(event: PointerEvent): boolean {
    const area = this.stage.area("model");
    const { state, connected } = useSession.getState();
    if (!area || !state || !this.stage.model.hit(event.offsetX, event.offsetY, area.width, area.height)) return false;
    if (!connected) {
      useSession.setState({ notice: "The connection is lost, so this stroke could not be kept. It comes back by itself." });
      return true;
    }
    const { tool, tip, pigment } = useDesk.getState();
    const stroke = ++this.strokes;
    const camera = this.stage.model.describe(area.width, area.height);
    const layers = receivingLayers(state);
    useSession.setState({ notice: null });
    this.stage.project.send({ type: "begin", stroke, tool, tip, pigment, camera, layers });
    this.drag = { kind: "stroke", pointer: event.pointerId, stroke, area };
    this.sendSamples([event]);
    return true;
  }

  /** All samples since the last event go in one message. */
  private sendSamples(events: PointerEvent[]): void {
    if (this.drag?.kind !== "stroke") return;
    const box = this.canvas.getBoundingClientRect();
    const samples = events.flatMap((e) => [e.clientX - box.x, e.clientY - box.y, pressureOf(e)]);
    this.stage.project.socket.sendSamples(this.drag.stroke, samples, events.at(-1)!.timeStamp);
  }

  private move(event: PointerEvent): void {
    this.last = { x: event.offsetX, y: event.offsetY };
    if (this.pinch(event)) return;
    const drag = this.drag;
    if (drag && drag.pointer === event.pointerId) {
      if (drag.kind === "stroke") {
        const all = event.getCoalescedEvents();
        this.sendSamples(all.length ? all : [event]);
      } else if (drag.kind === "prepare") {
        drag.move(event.offsetX, event.offsetY);
      } else {
        this.turn(drag, event.clientX - drag.x, event.clientY - drag.y);
        drag.x = event.clientX;
        drag.y = event.clientY;
      }
    }
    this.refreshRing();
  }

  private turn(drag: Drag, dx: number, dy: number): void {
    if (drag.kind === "orbit") this.stage.model.orbit.turnBy(dx, dy);
    else if (drag.kind === "pan") this.stage.model.orbit.panBy(dx, dy, this.stage.area("model")?.height ?? 1);
    else this.stage.map.panBy(dx, dy);
    this.stage.invalidate();
  }

  /** Two fingers pan and zoom. */
  private pinch(event: PointerEvent): boolean {
    const before = this.touches.get(event.pointerId);
    if (!before || this.touches.size !== 2) {
      if (before) this.touches.set(event.pointerId, { x: event.clientX, y: event.clientY });
      return false;
    }
    const other = [...this.touches].find(([id]) => id !== event.pointerId)![1];
    const apart = (p: { x: number; y: number }) => Math.hypot(p.x - other.x, p.y - other.y);
    const now = { x: event.clientX, y: event.clientY };
    const { orbit } = this.stage.model;
    orbit.panBy((now.x - before.x) / 2, (now.y - before.y) / 2, this.stage.area("model")?.height ?? 1);
    orbit.zoomBy(apart(before) / Math.max(apart(now), 1), null);
    this.touches.set(event.pointerId, now);
    this.stage.invalidate();
    return true;
  }

  private release(event: PointerEvent): void {
    this.touches.delete(event.pointerId);
    if (this.drag?.pointer !== event.pointerId) return;
    if (this.drag.kind === "stroke") this.stage.project.send({ type: "end", stroke: this.drag.stroke });
    if (this.drag.kind === "prepare") this.drag.release();
    this.drag = null;
    this.refreshRing();
  }

  private wheel(event: WheelEvent): void {
    event.preventDefault();
    if (this.drag?.kind === "stroke") return;
    const factor = Math.exp(event.deltaY * (event.deltaMode === 1 ? 0.04 : 0.0012));
    const model = this.stage.area("model");
    const map = this.stage.area("map");
    if (this.viewAt(event) === "map") {
      this.stage.map.zoomBy(factor, event.offsetX - (map?.x ?? 0), event.offsetY);
    } else if (model) {
      const hit = this.stage.model.hit(event.offsetX, event.offsetY, model.width, model.height);
      this.stage.model.orbit.zoomBy(factor, hit?.point ?? null);
    }
    this.refreshRing();
    this.stage.invalidate();
  }

  /** Put the brush ring where the pointer is, in its true size. */
  refreshRing(): void {
    const { ring } = this.stage.model;
    const area = this.stage.area("model");
    const turning = this.drag && this.drag.kind !== "stroke" && this.drag.kind !== "prepare";
    const inside = area && this.last && this.last.x < area.x + area.width;
    const hit = inside && !turning ? this.stage.model.hit(this.last!.x, this.last!.y, area.width, area.height) : null;
    this.canvas.style.cursor = hit ? "crosshair" : turning ? "grabbing" : "default";
    const before = ring.visible;
    if (hit && area && useDesk.getState().stage === "paint") {
      const { tip } = useDesk.getState();
      const pixel = this.stage.model.pixelAt(hit.point, area.height);
      ring.show(hit.point, hit.normal, tip.unit === "px" ? tip.radius * pixel : tip.radius, pixel);
    } else ring.hide();
    if (before || ring.visible) this.stage.invalidate();
  }

  dispose(): void {
    this.abort.abort();
  }
}
