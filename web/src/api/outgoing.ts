import type {
  AddNode, BoxPart, ChangeDecal, ChangeMask, ChangeNode, ChangeNodeMap, ChangeRegion, ClientMessage, CutPicture, DescribePicture, DuplicateDecal, FramePart, MappingPart, MixPart, MoveDecal, PigmentPart, PlaceDecal,
  ReliefPart, SetDepth, SetStart, ShowMask,
} from "./schema.generated"; // prettier-ignore

/** The generator knows no "left out" for fields that have a default: of these messages only what is set is sent. */
type Sparse<M, K extends keyof M> = Pick<M, K> & Partial<Omit<M, K>>;

/** Of parts of values, too: what is left out stays. */
type PigmentChange = { pigment?: Partial<PigmentPart> };
export type BoxChange = Partial<BoxPart>;
export type MappingChange = Partial<Omit<MappingPart, "frame">> & { frame?: BoxChange | null };
type NodeParts = PigmentChange & { mapping?: MappingChange; mix?: Partial<MixPart> | null };
type NodeChange = Sparse<Omit<ChangeNode, keyof NodeParts>, "type" | "node"> & NodeParts;
type StartChange = Omit<SetStart, "start"> & { start: Partial<SetStart["start"]> };
type NodeMapChange = Sparse<ChangeNodeMap, "type" | "node" | "map">;
type MaskChange = Sparse<ChangeMask, "type" | "node">;
type NewNode = Sparse<AddNode, "type" | "surface" | "kind">;
type PictureChange = Sparse<DescribePicture, "type" | "picture">;
type DecalParts = PigmentChange & { frame?: Partial<FramePart>; relief?: Partial<ReliefPart> | null };
export type DecalEdit = Sparse<Omit<ChangeDecal, keyof DecalParts>, "type" | "decal"> & DecalParts;
type DecalMove = Sparse<MoveDecal, "type" | "decal">;
export type PictureCut = Sparse<CutPicture, "type" | "picture">;
type RegionChange = Sparse<ChangeRegion, "type" | "region">;

/** The properties of a layer that are to be set; those left out stay. */
export type LayerChange = Omit<NodeChange, "type" | "node">;
export type MapChange = Omit<NodeMapChange, "type" | "node" | "map">;

/** What can be shown before it is made. */
export type Showable = NodeChange | NodeMapChange | MaskChange | SetDepth | StartChange | DecalEdit | DecalMove | PictureCut;

/** What the page may send. */
export type Outgoing =
  | Exclude<ClientMessage, { type: "add_node" | "change_decal" | "change_mask" | "change_node" | "change_node_map" | "change_region" | "cut_picture" | "describe_picture" | "duplicate_decal" | "move_decal" | "place_decal" | "set_start" | "show" }>
  | StartChange
  | NodeChange
  | NewNode
  | NodeMapChange
  | MaskChange
  | PictureChange
  | RegionChange
  | DecalEdit
  | DecalMove
  | PictureCut
  | Sparse<DuplicateDecal, "type" | "decal">
  | Sparse<PlaceDecal, "type" | "surface" | "picture">
  | { type: "show"; edit: Showable | ShowMask | null };

/** Where messages go: the project that is open. */
export interface Sender {
  send(message: Outgoing): void;
}
