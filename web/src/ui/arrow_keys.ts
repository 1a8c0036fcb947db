import type { KeyboardEvent } from "react";

const WAYS: Record<string, [number, number]> = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

/** What arrow keys do on a handle: steps of a pixel, of ten with Shift; other keys go on. */
export const onArrowKeys = (nudge: (dx: number, dy: number) => void) => (event: KeyboardEvent): void => {
  const way = WAYS[event.key];
  if (!way) return;
  event.preventDefault();
  event.stopPropagation();
  const step = event.shiftKey ? 10 : 1;
  nudge(way[0] * step, way[1] * step);
};
