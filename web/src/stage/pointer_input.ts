import * as THREE from "three";

import { setTip, useDesk } from "../state/desk";
import { type Circle, useGuide } from "../state/guide";
import { type Hold, isHeld, isPalm, letGo, takeHold } from "../state/held";
import { boundRadius } from "../state/radius";
import { useSession } from "../state/session";
import { stencilTo } from "../state/stencils";
import { latinKey } from "../ui/latin_key";
import type { Ring } from "./brush_ring";
import { ERASER, type PaintDrag, type Spot } from "./paint_drag";
import { turnChosen } from "./decal_turn";
import { passThrough } from "./pass_through";
import { PaintInput } from "./paint_input";
import { PrepareInput, type PrepareDrag } from "./prepare_input";
import { isDrawn } from "./region_input";
import { straightTo } from "./samples";
import { stamps } from "./stencil";
import type { Views } from "./views";
import { notchesOf, zoomOf } from "./wheel";

/** Pixels of the ring around the place that clone takes from. */
const SOURCE = 9;

type Drag =
  | ({ kind: "paint"; pointer: number } & PaintDrag)
  | ({ kind: "prepare"; pointer: number } & PrepareDrag)
  | { kind: "tip"; pointer: number; x: number; y: number; radius: number; hardness: number }
  | { kind: "orbit" | "pan" | "roll" | "slide"; pointer: number; x: number; y: number; misses: boolean };

/** What pointers do on the canvas: hands them to painting or preparing, moves the views, and carries the brush ring. */
export class PointerInput {
  private drag: Drag | null = null;
  private hold: Hold | null = null;
  private touches = new Map<number, { x: number; y: number }>();
  private last: { x: number; y: number } | null = null;
  /** Held down, a drag sets the tip (R), or a press chooses the source of clone (C). */
  private readonly held = new Set<string>();
  private readonly paint: PaintInput;
  private readonly prepare: PrepareInput;
  private readonly abort = new AbortController();

  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly views: Views,
  ) {
    this.paint = new PaintInput(canvas, views);
    this.prepare = new PrepareInput(views);
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
    passThrough(canvas, signal);
    addEventListener("keydown", (event) => this.held.add(latinKey(event).toLowerCase()), { signal });
    addEventListener("keyup", (event) => this.held.delete(latinKey(event).toLowerCase()), { signal });
    addEventListener("blur", () => this.held.clear(), { signal });
  }

  /** The server has ended a stroke: by our own release, a refusal, or a lost connection (-1). */
  strokeEnded(stroke: number): void {
    if (this.drag?.kind === "paint" && this.drag.stroke && (stroke === -1 || stroke === this.drag.stroke)) {
      this.paint.stop();
      this.drag = null;
    }
  }

  private viewAt(event: { offsetX: number }): "model" | "map" | null {
    for (const view of ["model", "map"] as const) {
      const area = this.views.area(view);
      if (area && event.offsetX >= area.x && event.offsetX < area.x + area.width) return view;
    }
    return null;
  }

  /** Where on the model or in the map the pointer is; null beside both. */
  private spotAt(event: MouseEvent): Spot | null {
    const view = this.viewAt(event);
    const area = view && this.views.area(view);
    if (!area) return null;
    if (view === "map") {
      const texel = this.views.map.texelAt(event.offsetX - area.x, event.offsetY - area.y);
      return this.views.map.holds(texel) ? { area, texel } : null;
    }
    const hit = this.views.model.hit(event.offsetX - area.x, event.offsetY - area.y, area.width, area.height);
    return hit && { area, hit };
  }

  private press(event: PointerEvent): void {
    if (this.drag?.kind === "paint" || (isPalm(event) && !this.isByFingers())) return;
    this.canvas.setPointerCapture(event.pointerId);
    event.preventDefault();
    // What was typed in a field counts as soon as the stage is pressed, and keys mean the stage again.
    this.canvas.focus({ preventScroll: true });
    const { pointerId: pointer, clientX: x, clientY: y } = event;
    if (event.pointerType === "touch") {
      this.touches.set(pointer, { x, y });
      // Where the first finger lies the others go along.
      if (this.touches.size > 1 && this.drag) return;
    }
    const erases = event.button === ERASER && useDesk.getState().stage === "paint";
    const acts = (event.button === 0 || erases) && event.pointerType !== "touch" && !event.altKey;
    const spot = acts ? this.spotAt(event) : null;
    if (acts && this.act(event, spot)) return this.take(this.drag);
    const inMap = this.viewAt(event) === "map";
    const pans = event.button === 1 || event.shiftKey;
    const rolls = event.ctrlKey && event.button === 2;
    this.drag = { kind: inMap ? "slide" : rolls ? "roll" : pans ? "pan" : "orbit", pointer, x, y, misses: acts && !spot };
    this.hold = takeHold(undefined, true);
  }

  /** Escape while it is held: what can be put back is; a stroke goes on. */
  private take(drag: Drag | null): void {
    const cancel = drag && "cancel" in drag ? drag.cancel : undefined;
    this.hold = takeHold(cancel && (() => (cancel(), this.stopDragging())));
  }

  private stopDragging(): void {
    this.drag = null;
    useGuide.setState({ line: null });
    this.refreshRing();
  }

  /** Paint or prepare; false when there is nothing to act on. */
  private act(event: PointerEvent, spot: Spot | null): boolean {
    const { stage, tip } = useDesk.getState();
    const pointer = event.pointerId;
    if (stage === "paint" && this.held.has("r")) {
      this.drag = { kind: "tip", pointer, x: event.clientX, y: event.clientY, radius: tip.radius, hardness: tip.hardness };
      return true;
    }
    if (stage === "prepare") {
      const drag = !spot || "texel" in spot ? this.prepareMap(event) : this.prepare.pressModel(event, spot.hit, spot.area);
      if (drag) this.drag = { kind: "prepare", pointer, ...drag };
      return drag !== null;
    }
    const { tool, pickBy } = useDesk.getState();
    if (!spot && !(tool === "pick" && isDrawn(pickBy))) return false;
    if (!spot) return this.outline(event);
    if (this.held.has("c") && useDesk.getState().tool === "clone") {
      this.paint.takeSource(spot);
      this.drag = { kind: "paint", pointer, stroke: 0, move: () => undefined, release: () => undefined };
      return true;
    }
    const drag = this.paint.press(event, spot);
    if (drag) this.drag = { kind: "paint", pointer, ...drag };
    return drag !== null;
  }

  /** An outline may begin beside the model. */
  private outline(event: PointerEvent): boolean {
    const view = this.viewAt(event);
    const area = view && this.views.area(view);
    const drag = area && this.paint.regions.press(event, null, area, view === "map");
    if (drag) this.drag = { kind: "paint", pointer: event.pointerId, ...drag };
    return !!drag;
  }

  private prepareMap(event: PointerEvent): PrepareDrag | null {
    const area = this.viewAt(event) === "map" ? this.views.area("map") : null;
    return area && this.prepare.pressMap(event, area);
  }

  /** Whether fingers hold the view: more of them go along. */
  private isByFingers(): boolean {
    return !!this.drag && this.touches.has(this.drag.pointer) && isHeld(this.hold);
  }

  private move(event: PointerEvent): void {
    if (event.pointerType === "touch" && !(this.touches.has(event.pointerId) && this.isByFingers())) return;
    this.last = { x: event.offsetX, y: event.offsetY };
    if (stamps() && !this.drag) stencilTo(this.last);
    if (this.pinch(event)) return;
    const { drag } = this;
    if (drag && drag.pointer === event.pointerId) {
      if (drag.kind === "paint") {
        drag.move(event);
        if (drag.from) useGuide.setState({ line: { from: drag.from, to: straightTo(drag.from, this.last, event.ctrlKey) } });
      } else if (drag.kind === "prepare") drag.move(event.offsetX, event.offsetY);
      else if (drag.kind === "tip") this.setTip(drag, event.clientX - drag.x, event.clientY - drag.y);
      else {
        this.turn(drag.kind, event.clientX - drag.x, event.clientY - drag.y);
        drag.misses &&= event.clientX === drag.x && event.clientY === drag.y;
        drag.x = event.clientX;
        drag.y = event.clientY;
      }
    }
    this.refreshRing();
  }

  /** To the right larger, upwards harder. */
  private setTip(drag: Extract<Drag, { kind: "tip" }>, dx: number, dy: number): void {
    const radius = boundRadius(drag.radius * 2 ** (dx / 120));
    setTip({ radius, hardness: Math.min(1, Math.max(0, drag.hardness - dy / 200)) });
  }

  private turn(kind: "orbit" | "pan" | "roll" | "slide", dx: number, dy: number): void {
    const { orbit } = this.views.model;
    if (kind === "orbit") orbit.turnBy(dx, dy);
    else if (kind === "roll") orbit.rollBy(dx);
    else if (kind === "pan") orbit.panBy(dx, dy, this.views.area("model")?.height ?? 1);
    else this.views.map.panBy(dx, dy);
    this.views.invalidate();
  }

  /** Two fingers pan and zoom the view that the first one lies on. */
  private pinch(event: PointerEvent): boolean {
    const before = this.touches.get(event.pointerId);
    if (!before) return false;
    const now = { x: event.clientX, y: event.clientY };
    this.touches.set(event.pointerId, now);
    const { drag } = this;
    if (this.touches.size !== 2 || !drag || !("misses" in drag)) return false;
    const other = [...this.touches].find(([id]) => id !== event.pointerId)![1];
    const apart = (p: { x: number; y: number }) => Math.hypot(p.x - other.x, p.y - other.y);
    this.turn(drag.kind === "slide" ? "slide" : "pan", (now.x - before.x) / 2, (now.y - before.y) / 2);
    const { left, top } = this.canvas.getBoundingClientRect();
    const middle = { x: (now.x + other.x) / 2 - left, y: (now.y + other.y) / 2 - top };
    this.zoom(apart(before) / Math.max(apart(now), 1), drag.kind === "slide" ? "map" : "model", middle);
    // Whichever finger stays goes on from where it lies.
    if (drag.pointer === event.pointerId) Object.assign(drag, now);
    return true;
  }

  private release(event: PointerEvent): void {
    if (!this.touches.delete(event.pointerId) && event.pointerType === "touch") return;
    // Another finger holds nothing.
    if (this.drag && this.drag.pointer !== event.pointerId) return;
    const [stays] = event.pointerType === "touch" ? this.touches : [];
    if (this.drag && "misses" in this.drag && stays) {
      this.drag = { ...this.drag, pointer: stays[0], ...stays[1] };
      return;
    }
    letGo(this.hold);
    if (!this.drag) return;
    if (this.drag.kind === "paint") this.drag.release(event);
    if (this.drag.kind === "prepare") this.drag.release();
    if ("misses" in this.drag && this.drag.misses) this.paint.miss(event);
    this.stopDragging();
  }

  private wheel(event: WheelEvent): void {
    event.preventDefault();
    if (this.drag?.kind === "paint") return;
    if (event.altKey && turnChosen(this.views, notchesOf(event))) return;
    this.zoom(zoomOf(event), this.viewAt(event), { x: event.offsetX, y: event.offsetY });
  }

  /** Nearer to, or away from, what lies at a place of the canvas. */
  private zoom(factor: number, view: "model" | "map" | null, { x, y }: { x: number; y: number }): void {
    const area = this.views.area(view ?? "model");
    if (!area) return;
    if (view === "map") this.views.map.zoomBy(factor, x - area.x, y);
    else this.views.model.orbit.zoomBy(factor, this.views.model.hit(x, y, area.width, area.height)?.point ?? null);
    this.refreshRing();
    this.views.invalidate();
  }

  /** Whether the pointer is over a view. */
  isOver(view: "model" | "map"): boolean {
    return this.last !== null && this.viewAt({ offsetX: this.last.x }) === view;
  }

  /** The face under the pointer; for looking straight at it. */
  hitUnderPointer(): ReturnType<Views["model"]["hit"]> {
    const area = this.views.area("model");
    return area && this.last ? this.views.model.hit(this.last.x, this.last.y, area.width, area.height) : null;
  }

  /** Put the brush ring where the pointer is, in its true size, in both views. */
  refreshRing(): void {
    const { ring } = this.views.model;
    const { tip, stage, tool, mirror, cloneSource } = useDesk.getState();
    const turning = this.drag && !["paint", "prepare", "tip"].includes(this.drag.kind);
    const area = this.views.area("model");
    const mapArea = this.views.area("map");
    const before = ring.visible;
    const inModel = area && this.last && this.last.x < area.x + area.width;
    let hit = inModel && !turning ? this.views.model.hit(this.last!.x, this.last!.y, area.width, area.height) : null;
    const surfaces = useSession.getState().state?.surfaces;
    const onDecals = this.paint.decals.takes(surfaces?.[hit?.surface ?? this.views.chosen]);
    const paints = stage === "paint" && !onDecals && !["fill", "gradient", "sample", "pick"].includes(tool);
    const circles: Circle[] = [];
    const overMap = !inModel && mapArea && this.last && !turning;
    if (overMap && paints) {
      circles.push({ ...this.last!, radius: tip.unit === "px" ? tip.radius : this.views.mapPixels(tip.radius) });
      hit = this.views.hitAtTexel(this.views.map.texelAt(this.last!.x - mapArea.x, this.last!.y - mapArea.y));
    }
    if (hit && mapArea && paints) {
      const images = this.views.model.imagesOf(hit, mirror).slice(overMap ? 1 : 0);
      for (const { match } of images) {
        const at = match && this.views.placeInMap(match);
        if (at) circles.push({ x: at.x + mapArea.x, y: at.y, radius: overMap ? circles[0]!.radius : 4 });
      }
    }
    this.prepare.hover(this.drag || !this.last ? null : this.last, hit);
    this.canvas.style.cursor = hit || overMap ? "crosshair" : turning ? "grabbing" : "default";
    const source = paints && tool === "clone" ? cloneSource : null;
    const rings: Ring[] = [];
    let pixel = 0;
    if (area && source?.surface === null) {
      const center = new THREE.Vector3(...source.point);
      pixel = this.views.model.pixelAt(center, area.height);
      rings.push({ center, normal: new THREE.Vector3(...source.normal), radius: SOURCE * pixel, kind: "source" });
    }
    if (hit && area && paints) {
      pixel = this.views.model.pixelAt(hit.point, area.height);
      const radius = tip.unit === "world" ? tip.radius : overMap ? this.views.worldRadius(tip.radius) : tip.radius * pixel;
      rings.push(...this.views.model.brushRings(hit, mirror, this.views.twinsOf(hit), radius));
    }
    if (rings.length) ring.show(rings, pixel, tip.facing_limit ?? 120);
    else ring.hide();
    const marked = mapArea && source && source.surface === this.views.chosenName;
    const mark = marked ? this.views.map.placeOf(source.point[0], source.point[1]).add(new THREE.Vector2(mapArea.x, mapArea.y)) : null;
    if (mark || useGuide.getState().mark) useGuide.setState({ mark });
    if (circles.length || useGuide.getState().circles.length) useGuide.setState({ circles });
    if (before || ring.visible) this.views.invalidate();
  }

  dispose(): void {
    // Nobody else has to wait for a stroke that goes on no more.
    if (this.drag?.kind === "paint" && this.drag.stroke) this.views.project.send({ type: "end", stroke: this.drag.stroke });
    this.paint.stop();
    letGo(this.hold);
    this.abort.abort();
    useGuide.setState({ line: null, circles: [], mark: null });
  }
}
