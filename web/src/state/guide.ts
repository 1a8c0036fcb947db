import { ofProject } from "./of_project";

interface Place {
  x: number;
  y: number;
}

export interface Circle extends Place {
  radius: number;
}

interface Guide {
  /** A straight line being drawn, on the canvas. */
  line: { from: Place; to: Place } | null;
  /** An outline being drawn. */
  outline: Place[] | null;
  /** The brush in the map, or where it is while it is on the model, and its images under symmetry. */
  circles: Circle[];
  /** In the map, where clone takes paint from. */
  mark: Place | null;
}

/** Marks drawn over the stage while the pointer moves. */
export const useGuide = ofProject<Guide>({ line: null, outline: null, circles: [], mark: null });
