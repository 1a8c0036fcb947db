import { create } from "zustand";

import type { DocumentState, Pigment, Tip } from "../api/schema.generated";

export type Tool = "brush" | "erase";
export type ViewMode = "model" | "side" | "map";
export type Shading = "lit" | "plain";

/** What lies on the painter's desk: kept with the project, never part of undo. */
export interface Desk {
  tool: Tool;
  tip: Tip;
  pigment: Pigment;
  palette: string[];
  surface: string | null;
  /** The layer that receives strokes, by surface. */
  layers: Record<string, string>;
  view: ViewMode;
  shading: Shading;
  uvLines: boolean;
  /** Surfaces whose UVs the painter has called meant so. */
  meantSo: string[];
}

const PALETTE = [
  "#b8402c", "#d9673a", "#e2ae45", "#e5e1d5", "#93a37c", "#55634a", "#2b4a4b",
  "#3d6f8e", "#8fb4c0", "#1e2422", "#575f5d", "#c3c6c5", "#7d3d1f", "#4a2416",
];

export const FRESH: Desk = {
  tool: "brush",
  tip: {
    radius: 38,
    unit: "px",
    strength: 0.85,
    hardness: 0.4,
    spacing: 0.12,
    pressure_radius: false,
    pressure_strength: true,
    build_up: false,
    facing_limit: 90,
  },
  pigment: { base_color: "#7d3d1f", roughness: null, metallic: null, height: null },
  palette: PALETTE,
  surface: null,
  layers: {},
  view: "model",
  shading: "lit",
  uvLines: true,
  meantSo: [],
};

export const useDesk = create<Desk>(() => FRESH);

export const setTip = (part: Partial<Tip>) => useDesk.setState(({ tip }) => ({ tip: { ...tip, ...part } }));

export const setPigment = (part: Partial<Pigment>) =>
  useDesk.setState(({ pigment }) => ({ pigment: { ...pigment, ...part } }));

/** Take over a desk as it was left; what an older one lacks starts fresh. */
export function restoreDesk(left: Record<string, unknown>, state: DocumentState): void {
  const desk = { ...FRESH, ...(left as Partial<Desk>) };
  useDesk.setState({ ...desk, tip: { ...FRESH.tip, ...desk.tip }, pigment: { ...FRESH.pigment, ...desk.pigment } }, true);
  settleTargets(state);
}

/** Each surface has a receiving layer as long as it has any: the one chosen, else the topmost. */
export function settleTargets(state: DocumentState): void {
  const { layers, surface } = useDesk.getState();
  const settled: Record<string, string> = {};
  for (const { name, layers: stack } of state.surfaces) {
    const chosen = stack.find((layer) => layer.id === layers[name]) ?? stack.at(-1);
    if (chosen) settled[name] = chosen.id;
  }
  const known = state.surfaces.some((candidate) => candidate.name === surface);
  useDesk.setState({ layers: settled, surface: known ? surface : (state.surfaces[0]?.name ?? null) });
}

/** The layers a stroke will be laid on: every surface's receiving layer that is shown. */
export function receivingLayers(state: DocumentState): Record<string, string> {
  const { layers, surface } = useDesk.getState();
  const found: Record<string, string> = {};
  for (const { name, layers: stack } of state.surfaces) {
    const layer = stack.find((candidate) => candidate.id === layers[name]);
    // A hidden layer on the chosen surface goes along, so that the server says why nothing is painted.
    if (layer && (layer.visible || name === surface)) found[name] = layer.id;
  }
  return found;
}
