import type * as THREE from "three";

/** Samples that a texture takes along a slope, where a graphics card takes them. */
const MOST = 8;
/** Renderers that draw with the processor: one texture seen at a flat angle can take them seconds there. */
const BY_PROCESSOR = /llvmpipe|softpipe|swiftshader|software|basic render/i;

const known = new WeakMap<THREE.WebGLRenderer, number>();

/** How many samples textures take along a slope: one where the processor draws, so that the brush stays quick there. */
export function anisotropyOf(renderer: THREE.WebGLRenderer): number {
  const found = known.get(renderer) ?? asked(renderer);
  known.set(renderer, found);
  return found;
}

function asked(renderer: THREE.WebGLRenderer): number {
  const context = renderer.getContext();
  const named = context.getExtension("WEBGL_debug_renderer_info");
  const name = String(context.getParameter(named ? named.UNMASKED_RENDERER_WEBGL : context.RENDERER));
  return BY_PROCESSOR.test(name) ? 1 : Math.min(MOST, renderer.capabilities.getMaxAnisotropy());
}
