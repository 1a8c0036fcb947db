import type { HistoryState, KeptState } from "../api/schema.generated";
import type { DocumentState, LayerState, SurfaceState } from "./document";
import { ofProject } from "./of_project";

interface Act {
  label: string;
  act: () => void;
}

/** Cures for what a notice says, by a click. */
export interface Offer {
  notice: string;
  acts: Act[];
}

/** What the server says is true. Only messages from the server change it. */
interface Session {
  state: DocumentState | null;
  history: HistoryState;
  kept: KeptState | null;
  people: number;
  connected: boolean;
  /** The server did not answer the last time it was asked. */
  away: boolean;
  /** Long work under way, and the share of it that is done. */
  work: { label: string; share: number; mine: boolean } | null;
  /** A sentence for the painter, until it is dismissed or outdated. */
  notice: string | null;
  /** With a notice: what can be done about it. */
  offer: Offer | null;
  /** The list of all keys is open. */
  keysShown: boolean;
  /** The model's diagonal, in its own unit. */
  modelSize: number;
  /** The middle of the model's box. */
  modelMiddle: [number, number, number];
  /** Model units that a screen pixel spans about where the camera looks; 0 before there is one. */
  pixel: number;
}

const NOTHING: Session = {
  state: null,
  history: { undo: null, redo: null, place: 0 },
  kept: null,
  people: 1,
  connected: false,
  away: false,
  work: null,
  notice: null,
  offer: null,
  keysShown: false,
  modelSize: 2,
  modelMiddle: [0, 0, 0],
  pixel: 0,
};

export const useSession = ofProject<Session>(NOTHING);

/** Say something, with a cure where there is one. */
export function say(notice: string, label?: string, act?: () => void, ...others: Act[]): void {
  useSession.setState({ notice, offer: label && act ? { notice, acts: [{ label, act }, ...others] } : null });
}

export function surfaceNamed(state: DocumentState | null, name: string | null): SurfaceState | undefined {
  return state?.surfaces.find((surface) => surface.name === name) ?? state?.surfaces[0];
}

export function layerById(state: DocumentState | null, id: string): LayerState | undefined {
  return state?.surfaces.flatMap((surface) => surface.layers).find((layer) => layer.id === id);
}
