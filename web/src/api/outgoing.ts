import type { ChangeLayer, ClientMessage } from "./schema.generated";

/** The properties of a layer that are to be set; those left out stay. */
export type LayerChange = Partial<Omit<ChangeLayer, "type" | "layer">>;

type OutgoingChange = Pick<ChangeLayer, "type" | "layer"> & LayerChange;

/** What the page may send: the generator knows no "left out" for fields that have a default. */
export type Outgoing =
  | Exclude<ClientMessage, { type: "change_layer" | "show" }>
  | OutgoingChange
  | { type: "show"; edit: OutgoingChange | null };
