import type * as THREE from "three";

import type { Hit } from "./model_view";
import type { Area } from "./views";

/** The button that the eraser at a pen’s other end is (Pointer Events, Level 3). */
export const ERASER = 5;

/** A stroke or another act of painting, from press to release. */
export interface PaintDrag {
  /** The number under which the server knows the stroke; 0 for acts that are none, or not yet. */
  stroke: number;
  move: (event: PointerEvent) => void;
  release: (event: PointerEvent) => void;
  /** Everything is as it was before the press; without it, it goes on. */
  cancel?: () => void;
  /** For a straight line: where it begins on the canvas. */
  from?: { x: number; y: number };
}

/** Where a press met the model or the map. */
export type Spot = { area: Area; hit: Hit } | { area: Area; texel: THREE.Vector2 };

export const idle = (): PaintDrag => ({ stroke: 0, move: () => undefined, release: () => undefined });
