import { create } from "zustand";

import type { HistoryState, KeptState } from "../api/schema.generated";
import type { DocumentState, LayerState, SurfaceState } from "./document";

/** What the server says is true. Only messages from the server change it. */
interface Session {
  state: DocumentState | null;
  history: HistoryState;
  kept: KeptState | null;
  people: number;
  connected: boolean;
  /** Long work under way, and the share of it that is done. */
  work: { label: string; share: number; mine: boolean } | null;
  /** A sentence for the painter, until it is dismissed or outdated. */
  notice: string | null;
  /** With a notice: the layer that it says is the one to choose. */
  offer: { notice: string; layer: string } | null;
  /** The list of all keys is open. */
  keysShown: boolean;
  /** The model's diagonal, in its own unit. */
  modelSize: number;
}

const nothing: Session = {
  state: null,
  history: { undo: null, redo: null, place: 0 },
  kept: null,
  people: 1,
  connected: false,
  work: null,
  notice: null,
  offer: null,
  keysShown: false,
  modelSize: 2,
};

export const useSession = create<Session>(() => nothing);

export function resetSession(): void {
  useSession.setState(nothing);
}

export function surfaceNamed(state: DocumentState | null, name: string | null): SurfaceState | undefined {
  return state?.surfaces.find((surface) => surface.name === name) ?? state?.surfaces[0];
}

export function layerById(state: DocumentState | null, id: string): LayerState | undefined {
  return state?.surfaces.flatMap((surface) => surface.layers).find((layer) => layer.id === id);
}
