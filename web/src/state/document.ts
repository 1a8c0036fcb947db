import type { Adjustment, Brushed, Decals, Group, KeptPicture, Model, Picture, Project, Region, Surface, TipPicture, Version, Wash } from "../api/schema.generated";

export type AnyValue = LayerState | Model | Picture | Project | Region | Surface | TipPicture | Version;
export type LayerState = Brushed | Group | Wash | Decals | Adjustment;
/** layers: all nodes of the stack, bottom first; a group follows what lies in it. */
export type SurfaceState = Surface & { layers: LayerState[] };

/** Slots of the model's file that no map shows. */
const UNTOUCHED: readonly string[] = ["normal", "occlusion", "emissive", "opacity"] satisfies KeptPicture["slot"][];

/** Pictures that are missing from what the surface shows. */
export function missingFromView({ missing = [] }: SurfaceState): boolean {
  return missing.some(({ slot }) => !UNTOUCHED.includes(slot));
}

/** Names in a sentence: "a, b and c". */
export const namesInWords = (names: string[]): string => new Intl.ListFormat("en-GB").format(names);

/** The files that a surface lacks, in words. */
export const missingFiles = ({ missing = [] }: SurfaceState): string => namesInWords([...new Set(missing.map(({ file }) => file))]);

/** The values of a document as panels look at them. What did not change keeps its identity from state to state. */
export interface DocumentState {
  name: string;
  size: [number, number];
  notes: string[];
  hidden_parts: number[];
  mesh: { arrays: Record<string, string>; parts: string[] };
  surfaces: SurfaceState[];
  /** By name. */
  regions: Region[];
  pictures: Picture[];
  /** The oldest first. */
  versions: Version[];
  values: ReadonlyMap<string, AnyValue>;
}

/** The state with some values replaced; null takes one away. */
export function patched(before: DocumentState | null, changes: Record<string, AnyValue | null>): DocumentState | null {
  const values = new Map(before?.values);
  for (const [id, value] of Object.entries(changes)) {
    if (value) values.set(id, value);
    else values.delete(id);
  }
  const project = values.get("project");
  const model = values.get("model");
  if (project?.kind !== "project" || model?.kind !== "model") return null;
  return {
    name: project.name,
    size: project.size as [number, number],
    notes: project.notes ?? [],
    hidden_parts: project.hidden_parts ?? [],
    mesh: before?.values.get("model") === model ? before.mesh : model,
    surfaces: surfacesOf(before, values),
    regions: listed(before?.regions, values, "region", byName),
    pictures: listed(before?.pictures, values, "picture", byName),
    versions: listed(before?.versions, values, "version", (a, b) => a.made - b.made),
    values,
  };
}

export function documentOf(values: AnyValue[]): DocumentState | null {
  return patched(null, Object.fromEntries(values.map((value) => [value.id, value])));
}

function surfacesOf(before: DocumentState | null, values: ReadonlyMap<string, AnyValue>): SurfaceState[] {
  const stacks = new Map<string, LayerState[]>();
  const surfaces: Surface[] = [];
  for (const value of values.values()) {
    if (value.kind === "surface") surfaces.push(value);
    if (isNode(value)) stacks.set(value.parent, [...(stacks.get(value.parent) ?? []), value]);
  }
  for (const stack of stacks.values()) stack.sort((a, b) => a.order - b.order || (a.id < b.id ? -1 : 1));
  const within = (parent: string): LayerState[] =>
    (stacks.get(parent) ?? []).flatMap((node) => [...(node.kind === "group" ? within(node.id) : []), node]);
  return surfaces
    .sort((a, b) => a.number - b.number)
    .map((surface) => {
      const layers = within(surface.id);
      const old = before?.surfaces.find(({ id }) => id === surface.id);
      const same = old && before?.values.get(surface.id) === surface && equal(old.layers, layers);
      return same ? old : { ...surface, layers };
    });
}

type Kind = AnyValue["kind"];
type OfKind<K extends Kind> = Extract<AnyValue, { kind: K }>;

const byName = (a: { name: string; id: string }, b: { name: string; id: string }) => a.name.localeCompare(b.name) || (a.id < b.id ? -1 : 1);

/** All values of a kind in order; the list of before where it is the same. */
function listed<K extends Kind>(before: OfKind<K>[] | undefined, values: ReadonlyMap<string, AnyValue>, kind: K, order: (a: OfKind<K>, b: OfKind<K>) => number): OfKind<K>[] {
  const found = [...values.values()].filter((value): value is OfKind<K> => value.kind === kind).sort(order);
  return before && equal(before, found) ? before : found;
}

const NODES: readonly string[] = ["brushed", "group", "wash", "decals", "adjustment"] satisfies LayerState["kind"][];

export const isNode = (value: AnyValue): value is LayerState => NODES.includes(value.kind);

/** The nodes that lie directly in a surface or a group, bottom first. */
export const nodesIn = (surface: SurfaceState, parent: string): LayerState[] => surface.layers.filter((node) => node.parent === parent);

/** The groups in which a node lies, the innermost first. */
export function groupsOver(surface: SurfaceState, node: LayerState): LayerState[] {
  const group = surface.layers.find(({ id }) => id === node.parent);
  return group ? [group, ...groupsOver(surface, group)] : [];
}

/** The node, or a group over it, that is hidden. */
export const hiddenBy = (surface: SurfaceState, node: LayerState): LayerState | undefined =>
  [node, ...groupsOver(surface, node)].find(({ visible }) => visible === false);

/** The same of what is locked. */
export const lockedBy = (surface: SurfaceState, node: LayerState): LayerState | undefined =>
  [node, ...groupsOver(surface, node)].find(({ locked }) => locked === true);

const equal = (a: unknown[], b: unknown[]) => a.length === b.length && a.every((each, i) => each === b[i]);
