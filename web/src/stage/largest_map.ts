import type * as THREE from "three";

import type { DocumentState } from "../state/document";

/** Why the graphics card cannot show the maps; null when it can. */
export function tooLarge({ capabilities: { maxTextureSize: most } }: THREE.WebGLRenderer, { surfaces }: DocumentState): string | null {
  const found = surfaces.find(({ width, height }) => Math.max(width, height) > most);
  if (!found) return null;
  return `The maps of ${found.name} are ${found.width} × ${found.height}; this graphics card shows ${most} × ${most} at most. Make them smaller in Prepare, or open the project on another machine.`;
}
