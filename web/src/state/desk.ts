import { create } from "zustand";

import type { DocumentState, Pigment, Tip, Unwrap } from "../api/schema.generated";
import type { PickBy } from "./picks";

export type Tool = "brush" | "erase";
export type ViewMode = "model" | "side" | "map";
export type Shading = "lit" | "plain";
export type StageName = "prepare" | "paint";
export type Proof = "paint" | "checker" | "letters" | "stretch" | "density" | "findings";
/** What a click on the model or in the map does while preparing. */
export type PrepareTool = "pick" | "edge" | "loop";
export type Method = Unwrap["method"];

/** What is set for the work on UVs. */
export interface Preparing {
  tool: PrepareTool;
  by: PickBy;
  method: Method;
  angle: number;
  margin: number;
  /** A shape's up: a model axis, or as it is seen now. */
  axis: "x" | "y" | "z" | "view";
  keepPaint: boolean;
}

/** What lies on the painter's desk: kept with the project, never part of undo. */
export interface Desk {
  stage: StageName;
  preparing: Preparing;
  proof: Proof;
  prepareView: ViewMode;
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
  /** Findings that the painter has called meant so, as "surface:kind". */
  meantSo: string[];
}

const PALETTE = [
  "#b8402c", "#d9673a", "#e2ae45", "#e5e1d5", "#93a37c", "#55634a", "#2b4a4b",
  "#3d6f8e", "#8fb4c0", "#1e2422", "#575f5d", "#c3c6c5", "#7d3d1f", "#4a2416",
];

export const FRESH: Desk = {
  stage: "paint",
  preparing: { tool: "pick", by: "island", method: "auto", angle: 60, margin: 8, axis: "y", keepPaint: true },
  proof: "paint",
  prepareView: "side",
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

export const setPreparing = (part: Partial<Preparing>) =>
  useDesk.setState(({ preparing }) => ({ preparing: { ...preparing, ...part } }));

/** Each stage remembers its own view. */
export const shownView = ({ stage, view, prepareView }: Desk): ViewMode => (stage === "prepare" ? prepareView : view);

export const showView = (next: ViewMode) =>
  useDesk.setState(({ stage }) => (stage === "prepare" ? { prepareView: next } : { view: next }));

export const setPigment = (part: Partial<Pigment>) =>
  useDesk.setState(({ pigment }) => ({ pigment: { ...pigment, ...part } }));

/** Take over a desk as it was left; what an older one lacks starts fresh. */
export function restoreDesk(left: Record<string, unknown>, state: DocumentState): void {
  const desk = { ...FRESH, ...(left as Partial<Desk>) };
  useDesk.setState(
    {
      ...desk,
      tip: { ...FRESH.tip, ...desk.tip },
      pigment: { ...FRESH.pigment, ...desk.pigment },
      preparing: { ...FRESH.preparing, ...desk.preparing },
    },
    true,
  );
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
