/** Marks what lies over the stage and takes plain presses only, as handles of frames do. */
const OVER_STAGE = "data-over-stage";

/** Let the wheel, and presses that turn or move the view, through such things to the canvas beneath. */
export function passThrough(canvas: HTMLCanvasElement, signal: AbortSignal): void {
  const listen = <K extends keyof WindowEventMap>(name: K, handle: (event: WindowEventMap[K]) => void) =>
    addEventListener(
      name,
      (event) => {
        if (event.target instanceof Element && event.target.closest(`[${OVER_STAGE}]`)) handle(event);
      },
      { capture: true, passive: false, signal },
    );
  const pass = (event: Event, same: Event) => {
    event.preventDefault();
    event.stopPropagation();
    canvas.dispatchEvent(same);
  };
  listen("wheel", (event) => {
    // What is held would lose its place.
    if (event.buttons) event.preventDefault();
    else pass(event, new WheelEvent(event.type, event));
  });
  listen("pointerdown", (event) => {
    if (event.button !== 0 || event.altKey) pass(event, new PointerEvent(event.type, event));
  });
  listen("contextmenu", (event) => event.preventDefault());
}
