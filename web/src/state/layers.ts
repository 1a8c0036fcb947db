import type { Sender } from "../api/outgoing";
import { maskedLike, useDesk } from "./desk";
import { type DocumentState, groupsOver, type LayerState, namesInWords, nodesIn, type SurfaceState } from "./document";
import { sayBriefly } from "./notices";
import { ofProject } from "./of_project";
import { surfaceNamed, useSession } from "./session";

/** The chosen surface and its chosen layer. */
export function chosenLayer(): { surface: SurfaceState; layer: LayerState } | null {
  const { surface: name, layers } = useDesk.getState();
  const surface = surfaceNamed(useSession.getState().state, name);
  const layer = surface?.layers.find(({ id }) => id === layers[surface.name]);
  return surface && layer ? { surface, layer } : null;
}

/** Work on another surface: on its mask of the same name while a mask is painted, else on its chosen layer. */
export function workOn(name: string): void {
  const { state } = useSession.getState();
  const surface = surfaceNamed(state, name);
  const masked = state && surface && maskedLike(state, surface);
  const target = masked ? { [name]: masked.id } : {};
  useDesk.setState(({ layers }) => ({ surface: name, layers: { ...layers, ...target }, maskTarget: masked?.id ?? null }));
}

interface Rows {
  /** Layers that are marked together, to be moved, grouped or deleted as one. */
  marked: ReadonlySet<string>;
  /** Groups whose rows are folded away. */
  folded: ReadonlySet<string>;
  /** The layer whose name is being typed. */
  naming: string | null;
  /** The layer of which nothing but the mask is seen. */
  maskAlone: string | null;
  /** How often the pixels of a raster have changed since the page was opened. */
  editions: Readonly<Record<string, number>>;
}

export const useRows = ofProject<Rows>({ marked: new Set(), folded: new Set(), naming: null, maskAlone: null, editions: {} });

export const startNaming = (naming: string | null): void => useRows.setState({ naming });

/** A layer that another page has deleted is named no more, not even once it is there again. */
export function endNaming({ values }: DocumentState): void {
  const { naming } = useRows.getState();
  if (naming && !values.has(naming)) startNaming(null);
}

/** These rasters show something else from now on. */
export function touch(rasters: readonly string[]): void {
  if (!rasters.length) return;
  const editions = { ...useRows.getState().editions };
  for (const raster of rasters) editions[raster] = (editions[raster] ?? 0) + 1;
  useRows.setState({ editions });
}

/** What is done with several layers at once: those marked, if the one meant is among them. */
export function together(layer: string): string[] {
  const { marked } = useRows.getState();
  if (!marked.has(layer)) return [layer];
  // One that is gone stays marked, for when undo brings it back.
  const known = new Set(useSession.getState().state?.surfaces.flatMap(({ layers }) => layers.map(({ id }) => id)));
  return [...marked].filter((id) => known.has(id));
}

/** Delete the marked layers; of what is laid elsewhere as a picture of one of them it is said that it stays as it is. */
export function removeMarked(project: Sender, layer: string): void {
  const nodes = together(layer);
  project.send({ type: "remove_nodes", nodes });
  const { state } = useSession.getState();
  const goes = (surface: SurfaceState, one: LayerState) => [one, ...groupsOver(surface, one)].some(({ id }) => nodes.includes(id));
  const layers = (state?.surfaces ?? []).flatMap((surface) => surface.layers.map((one) => ({ one, gone: goes(surface, one) })));
  const used = new Set(layers.flatMap(({ one, gone }) => (one.kind === "wash" && !gone ? Object.values(one.images ?? {}) : [])));
  const sources = new Set((state?.pictures ?? []).flatMap(({ id, of }) => (of && used.has(id) ? [of.node] : [])));
  const kept = layers.filter(({ one, gone }) => gone && sources.has(one.id)).map(({ one }) => one.name);
  if (kept.length) sayBriefly(`A wash lays what is painted on ${namesInWords(kept)}: it goes on with that as it is now.`);
}

/**
 * Where the marked layers come to lie a step further up or down: past the next row, into a group that stands open there,
 * or out of their own. Nothing where the stack ends.
 */
export function stepped(up: boolean): { nodes: string[]; parent: string; index: number } | null {
  const chosen = chosenLayer();
  if (!chosen) return null;
  const { surface } = chosen;
  const nodes = together(chosen.layer.id);
  const staying = (some: LayerState[]) => some.filter(({ id }) => !nodes.includes(id));
  const layer = groupsOver(surface, chosen.layer).reverse().find(({ id }) => nodes.includes(id)) ?? chosen.layer;
  const siblings = nodesIn(surface, layer.parent);
  const places = siblings.flatMap(({ id }, place) => (nodes.includes(id) ? [place] : []));
  const edge = up ? Math.max(...places) : Math.min(...places);
  const below = staying(siblings.slice(0, edge)).length;
  const next = staying(siblings)[up ? below : below - 1];
  if (next?.kind === "group" && !useRows.getState().folded.has(next.id)) {
    return { nodes, parent: next.id, index: up ? 0 : staying(nodesIn(surface, next.id)).length };
  }
  if (next) return { nodes, parent: layer.parent, index: up ? below + 1 : below - 1 };
  const group = surface.layers.find(({ id }) => id === layer.parent);
  if (!group) return null;
  return { nodes, parent: group.parent, index: staying(nodesIn(surface, group.parent)).indexOf(group) + (up ? 1 : 0) };
}
