import type { Area, Views } from "./views";

/** The mouse has no pressure; the platform's 0.5 would halve every stroke. */
const pressureOf = (event: PointerEvent) => (event.pointerType === "pen" ? event.pressure : 1);

/** How far the pen is tilted to the right and down, from upright to flat as 0 to 1. */
const tiltOf = (event: PointerEvent): [number, number] => [
  Math.sin((event.tiltX * Math.PI) / 180), Math.sin((event.tiltY * Math.PI) / 180),
]; // prettier-ignore

/** Where a pen is on the canvas, and how it is held. */
export interface PenSample {
  x: number;
  y: number;
  pressure: number;
  tilt: [number, number];
}

export function placeOnCanvas(canvas: HTMLCanvasElement, event: PointerEvent): { x: number; y: number } {
  const box = canvas.getBoundingClientRect();
  return { x: event.clientX - box.x, y: event.clientY - box.y };
}

export function sampleOf(canvas: HTMLCanvasElement, event: PointerEvent): PenSample {
  return { ...placeOnCanvas(canvas, event), pressure: pressureOf(event), tilt: tiltOf(event) };
}

/** All movements since the event before. Browsers tell them one by one only to pages of this machine, or by a secure connection. */
export function movements(event: PointerEvent): PointerEvent[] {
  const all = "getCoalescedEvents" in event ? event.getCoalescedEvents() : [];
  return all.length ? all : [event];
}

/** Samples as a stroke counts them, one after the other: pixels of the view, or texels of the map. */
export function counted(samples: PenSample[], views: Views, area: Area, inMap: boolean): number[] {
  return samples.flatMap(({ x, y, pressure, tilt }) => {
    const at = { x: x - area.x, y: y - area.y };
    const { x: across, y: down } = inMap ? views.map.texelAt(at.x, at.y) : at;
    return [across, down, pressure, ...tilt];
  });
}

/** The end of a straight line; bound to multiples of 45 degrees when wanted. */
export function straightTo(from: { x: number; y: number }, to: { x: number; y: number }, bound: boolean): { x: number; y: number } {
  if (!bound) return { x: to.x, y: to.y };
  const step = Math.PI / 4;
  const angle = Math.round(Math.atan2(to.y - from.y, to.x - from.x) / step) * step;
  const length = Math.hypot(to.x - from.x, to.y - from.y);
  return { x: from.x + length * Math.cos(angle), y: from.y + length * Math.sin(angle) };
}
