import type { Stencil } from "../api/schema.generated";

/**
 * A picture fixed to the screen, in CSS pixels. Its middle is told from the stage's, as the model is seen about that: so
 * it stays over what it was put on when a card beside the stage opens or closes.
 */
export interface StencilPlace {
  /** A picture of the project, by its id. */
  picture: string | null;
  on: boolean;
  /** How far its middle lies right of the stage's, and below it. */
  right: number;
  down: number;
  width: number;
  height: number;
  rotation: number;
  mirrored: boolean;
  tint: boolean;
  through: boolean;
  opacity: number;
  /** It is not seen while something is being painted. */
  hides: boolean;
  /** Clicks lay it on whole where the pointer is; else it stays where it was put, and paint goes through it. */
  stamps: boolean;
  /** Degrees from the line of sight beyond which what grazes the eye takes nothing. */
  limit: number;
  /** Maps that take a value by its gray, instead of the pigment's. */
  maps: Stencil["maps"];
}

/** The longest side of a stencil, and the furthest place, in pixels. */
export const LARGEST = 20_000;

export const NO_STENCIL: StencilPlace = {
  picture: null, on: false, right: 0, down: 0, width: 300, height: 300, rotation: 0, mirrored: false, tint: false,
  through: false, opacity: 0.5, hides: false, stamps: false, limit: 80, maps: {},
}; // prettier-ignore

type Crop = readonly [number, number, number, number];

/** What a stencil shows stays where it lies when its picture is cropped otherwise. */
export function cropped(place: StencilPlace, before: Crop, after: Crop): StencilPlace {
  const wide = place.width / (before[2] - before[0]);
  const high = place.height / (before[3] - before[1]);
  const right = ((after[0] + after[2] - before[0] - before[2]) / 2) * wide * (place.mirrored ? -1 : 1);
  const down = ((after[1] + after[3] - before[1] - before[3]) / 2) * high;
  const turn = (place.rotation * Math.PI) / 180;
  return {
    ...place,
    width: wide * (after[2] - after[0]),
    height: high * (after[3] - after[1]),
    right: place.right + right * Math.cos(turn) - down * Math.sin(turn),
    down: place.down + right * Math.sin(turn) + down * Math.cos(turn),
  };
}
