import type { BodyFrame, Decal, Decals, FramePart, MapFrame, SurfaceFrame } from "../api/schema.generated";
import type { DecalEdit, Sender, Showable } from "../api/outgoing";
import { useDesk } from "./desk";
import type { DocumentState, SurfaceState } from "./document";
import { ofProject } from "./of_project";
import { useSession } from "./session";

export type Frame = SurfaceFrame | MapFrame | BodyFrame;
/** Where a decal comes to lie: on the model, or in the map. */
export type DecalPlace = { position: [number, number, number]; normal: [number, number, number] } | { uv: [number, number] };
/** What is to be another about a frame; what is left out stays, so that edits that cross on the way do not undo each other. */
export type FrameChange = Partial<FramePart>;
export type DecalChange = Omit<DecalEdit, "type" | "decal">;

interface Store {
  /** The picture that the next click puts down. */
  inHand: string | null;
  /** The decal whose frame is seen. */
  chosen: string | null;
  /** The same as it lies while it is being moved. */
  shown: Decal | null;
}

export const useDecals = ofProject<Store>({ inHand: null, chosen: null, shown: null });

export const chooseDecal = (chosen: string | null): void => useDecals.setState({ chosen, shown: null });

/** The layer of decals that clicks on a surface go to; null where another kind, or a mask, receives them. */
export function decalLayer(surface: SurfaceState | undefined, layers = useDesk.getState().layers, mask = useDesk.getState().maskTarget): Decals | null {
  const layer = surface?.layers.find(({ id }) => id === layers[surface.name]);
  return layer?.kind === "decals" && !mask ? layer : null;
}

/** A decal by id, and where it lies: of several surfaces over whose border it lies, the one that is worked on. */
export function findDecal(state: DocumentState | null, id: string | null): { surface: SurfaceState; layer: Decals; decal: Decal } | null {
  const surfaces = (id && state?.surfaces) || [];
  const { surface: here } = useDesk.getState();
  for (const surface of [...surfaces.filter(({ name }) => name === here), ...surfaces]) {
    for (const layer of surface.layers) {
      const decal = layer.kind === "decals" ? layer.placed?.find((each) => each.id === id) : undefined;
      if (decal) return { surface, layer: layer as Decals, decal };
    }
  }
  return null;
}

/** Whether a decal has its handles on the stage: clicks go to its layer and, where it lies in the map, that is shown. */
export function isHandled({ surface, layer, decal }: NonNullable<ReturnType<typeof findDecal>>): boolean {
  return decalLayer(surface)?.id === layer.id && (decal.frame.kind !== "map" || surface.name === useDesk.getState().surface);
}

/** The layer that holds the chosen decal now, where it has gone to another surface than the one that is worked on. */
export function goneTo(before: DocumentState | null, after: DocumentState): string | null {
  const { chosen } = useDecals.getState();
  const { surface, layers, maskTarget } = useDesk.getState();
  const held = (state: DocumentState | null) => {
    const here = decalLayer(state?.surfaces.find(({ name }) => name === surface), layers, maskTarget);
    return here?.placed?.some(({ id }) => id === chosen) ?? false;
  };
  return chosen && held(before) && !held(after) ? (findDecal(after, chosen)?.layer.id ?? null) : null;
}

/** A picture that was forgotten, here or in another page, is in no hand. */
export function emptyHand({ pictures }: DocumentState): void {
  const { inHand } = useDecals.getState();
  if (inHand && !pictures.some(({ id }) => id === inHand)) useDecals.setState({ inHand: null });
}

/** The chosen decal as it is seen now. */
export function useChosenDecal(): Decal | null {
  const state = useSession((session) => session.state);
  const { chosen, shown } = useDecals();
  const found = findDecal(state, chosen)?.decal ?? null;
  return found && shown?.id === found.id ? shown : found;
}

/** One picture of what is being moved is asked for at a time: the newest, once the one before has come. */
let asked = false;
let next: Showable | null = null;

/** Show what a decal would be, to everybody. */
export function showDecal(project: Sender, edit: Showable): void {
  if (asked) {
    next = edit;
    return;
  }
  asked = true;
  next = null;
  project.send({ type: "show", edit });
}

/** It is shown: so it lies. */
export function decalShown(project: Sender, decal: Decal): void {
  // An answer that comes too late.
  if (!asked) return;
  asked = false;
  useDecals.setState({ shown: decal });
  if (next) showDecal(project, next);
}

/** Nothing more is asked for: what was shown has become so, or is taken back. */
export function decalRests(): void {
  asked = false;
  next = null;
}

/** What was shown while it was held is not to be. */
export function takeDecalBack(project: Sender): void {
  decalRests();
  useDecals.setState({ shown: null });
  project.send({ type: "show", edit: null });
}
