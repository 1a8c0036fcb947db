import { create } from "zustand";

import { useDesk } from "./desk";
import type { LayerState } from "./document";
import { surfaceNamed, useSession } from "./session";

/** The layer that receives strokes on the chosen surface, its place from the bottom, and how many there are. */
export function chosenLayer(): { layer: LayerState; index: number; count: number } | null {
  const { surface: name, layers } = useDesk.getState();
  const surface = surfaceNamed(useSession.getState().state, name);
  const index = surface?.layers.findIndex(({ id }) => id === layers[surface.name]) ?? -1;
  return surface && index >= 0 ? { layer: surface.layers[index]!, index, count: surface.layers.length } : null;
}

/** The layer whose name is being typed. */
export const useNaming = create<{ layer: string | null }>(() => ({ layer: null }));

export const startNaming = (layer: string | null): void => useNaming.setState({ layer });
