import * as THREE from "three";

import { cornersOf, usePicks } from "../state/picks";
import { IslandGrip } from "./island_grip";
import { densityOf } from "./uv_display";
import type { Views } from "./views";

/** Which faces of the surface in the map are meant: the picked ones, or all where none is picked. */
function meant({ model, chosen }: Views): (face: number) => boolean {
  const { faces } = usePicks.getState();
  const any = model.geometries[chosen]?.face.some((face) => faces[face]);
  return (face) => !any || faces[face] === 1;
}

/** Texels per model unit of the picked faces in the map, or of the whole surface. */
export function pickedDensity(views: Views): number {
  const overlays = views.overlays[views.chosen];
  const geometry = views.model.geometries[views.chosen];
  return overlays && geometry ? densityOf(geometry, overlays.width, overlays.height, meant(views)) : 0;
}

/** Where picked faces, or the whole surface in the map, have their middle in space. */
export function pickedMiddle(views: Views): THREE.Vector3 {
  const box = new THREE.Box3();
  const geometry = views.model.geometries[views.chosen];
  if (geometry) box.setFromArray(geometry.placesOf(meant(views)));
  return box.getCenter(new THREE.Vector3());
}

/** The picked islands of the surface in the map, ready to be moved; null when none is picked. */
export function grabIslands(views: Views): IslandGrip | null {
  const overlays = views.overlays[views.chosen];
  const geometry = views.model.geometries[views.chosen];
  if (!overlays || !geometry || !views.mesh) return null;
  const { faces } = usePicks.getState();
  const islands = new Set<number>();
  for (const face of geometry.face) if (faces[face]) islands.add(views.mesh.island[face]!);
  return islands.size ? new IslandGrip(geometry, overlays, views.mesh.island, islands) : null;
}

/** The corners of the model, face · 3 + k, that lie at vertices of the surface in the map. */
export function cornersAt(views: Views, vertices: ReadonlySet<number>): number[] {
  const geometry = views.model.geometries[views.chosen];
  return [...cornersOf(geometry && { index: geometry.index.array as Uint32Array, face: geometry.face }, vertices)];
}
