import type { Brushed, KeptPicture, Model, Project, Surface, TipPicture } from "../api/schema.generated";

export type AnyValue = Brushed | Model | Project | Surface | TipPicture;
export type LayerState = Brushed;
export type SurfaceState = Surface & { /** Bottom first. */ layers: LayerState[] };

/** Slots of the model's file that no map shows. */
const UNTOUCHED: readonly string[] = ["normal", "occlusion", "emissive", "opacity"] satisfies KeptPicture["slot"][];

/** Pictures that are missing from what the surface shows. */
export function missingFromView({ missing = [] }: SurfaceState): boolean {
  return missing.some(({ slot }) => !UNTOUCHED.includes(slot));
}

/** The values of a document as panels look at them. What did not change keeps its identity from state to state. */
export interface DocumentState {
  name: string;
  size: [number, number];
  notes: string[];
  hidden_parts: number[];
  mesh: { arrays: Record<string, string>; parts: string[] };
  surfaces: SurfaceState[];
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
    if (value.kind === "brushed") stacks.set(value.parent, [...(stacks.get(value.parent) ?? []), value]);
  }
  return surfaces
    .sort((a, b) => a.number - b.number)
    .map((surface) => {
      const layers = (stacks.get(surface.id) ?? []).sort((a, b) => a.order - b.order || (a.id < b.id ? -1 : 1));
      const old = before?.surfaces.find(({ id }) => id === surface.id);
      const same = old && before?.values.get(surface.id) === surface && equal(old.layers, layers);
      return same ? old : { ...surface, layers };
    });
}

const equal = (a: unknown[], b: unknown[]) => a.length === b.length && a.every((each, i) => each === b[i]);
