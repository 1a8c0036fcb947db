import { create } from "zustand";

interface Place {
  x: number;
  y: number;
}

interface Guide {
  /** A straight line being drawn, on the canvas. */
  line: { from: Place; to: Place } | null;
  /** An outline being drawn. */
  outline: Place[] | null;
  /** The brush in the map, or where it is while it is on the model. */
  circle: (Place & { radius: number }) | null;
  /** In the map, where clone takes paint from. */
  mark: Place | null;
}

/** Marks drawn over the stage while the pointer moves. */
export const useGuide = create<Guide>(() => ({ line: null, outline: null, circle: null, mark: null }));
