import type { LayerState } from "../state/document";

/** Blend modes, in the order in which they are offered. */
export const MODES: LayerState["blend"][] = [
  "normal", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn", "hard-light",
  "soft-light", "difference", "exclusion", "add", "subtract", "raise", "hue", "saturation", "color", "luminosity",
];
