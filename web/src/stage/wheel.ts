/** Pixels that a notch of a wheel is worth, at least: a trackpad tells of its way in many smaller parts. */
const NOTCH = 40;
/** Pixels of a line, where a browser counts in lines. */
const LINE = 100 / 3;

let gathered = 0;

/** Whether Ctrl is down: two fingers pinching on a trackpad arrive as small turns of the wheel with a Ctrl that nobody holds. */
let control = false;
const follow = (down: boolean) => (event: KeyboardEvent) => void (event.key === "Control" && (control = down));
addEventListener("keydown", follow(true), { capture: true });
addEventListener("keyup", follow(false), { capture: true });
addEventListener("blur", () => (control = false));

const pixelsOf = (event: WheelEvent): number => event.deltaY * (event.deltaMode === WheelEvent.DOM_DELTA_LINE ? LINE : 1);

/** The notches that a wheel was turned by, or two fingers on a trackpad went for. */
export function notchesOf(event: WheelEvent): number {
  const pixels = pixelsOf(event);
  gathered = Math.abs(pixels) >= NOTCH || gathered * pixels < 0 ? pixels : gathered + pixels;
  if (Math.abs(gathered) < NOTCH) return 0;
  gathered = 0;
  return Math.sign(pixels);
}

/** By how much more is seen. */
export const zoomOf = (event: WheelEvent): number => Math.exp(event.ctrlKey && !control ? event.deltaY * 0.01 : pixelsOf(event) * 0.0012);
