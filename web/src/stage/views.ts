import type * as THREE from "three";

import type { StageMesh } from "../api/mesh";
import type { Project } from "../state/project";
import type { MapView } from "./map_view";
import type { Hit, ModelView } from "./model_view";
import type { Overlays } from "./overlays";
import type { Twin } from "./twins";

export interface Area {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** The stage as pointers see it: both views, and what lies where in them. */
export interface Views {
  readonly canvas: HTMLCanvasElement;
  readonly project: Project;
  readonly model: ModelView;
  readonly map: MapView;
  readonly overlays: Overlays[];
  readonly mesh: StageMesh | null;
  /** The surface shown in the map, by its place in the state. */
  readonly chosen: number;
  readonly chosenName: string | null;
  /** Where a view lies on the canvas, in CSS pixels from its top left; null when it is not shown. */
  area(view: "model" | "map"): Area | null;
  /** Draw soon. */
  invalidate(): void;
  faceAt(at: { x: number; y: number }): number | null;
  hitAtTexel(at: { x: number; y: number }): Hit | null;
  /** What lies under a place of the canvas, in either view. */
  faceAtPlace(x: number, y: number): { surface: string; face: number; uv: [number, number] | null } | null;
  /** Where else the texel under a place shows. */
  twinsOf(hit: Hit): Twin[];
  /** Where a place of the model lies in the map view; null when it belongs to another surface. */
  placeInMap(hit: Hit): THREE.Vector2 | null;
  /** A radius of the map view's pixels in model units, and of model units in those pixels. */
  worldRadius(pixels: number): number;
  mapPixels(units: number): number;
}
