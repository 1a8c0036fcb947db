import type * as THREE from "three";

import { drawnByProcessor } from "./processor";

/** Samples that a texture takes along a slope, where a graphics card takes them. */
const MOST = 8;

/** How many samples textures take along a slope: one where the processor draws, so that the brush stays quick there. */
export function anisotropyOf(renderer: THREE.WebGLRenderer): number {
  return drawnByProcessor() ? 1 : Math.min(MOST, renderer.capabilities.getMaxAnisotropy());
}
