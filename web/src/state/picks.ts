import type { StageMesh, SurfaceMesh } from "../api/mesh";
import { type PickBy, useDesk } from "./desk";
import { ofProject } from "./of_project";

export type How = "replace" | "add" | "remove";

/** Runs [first, end) of face numbers, as the server takes them. */
export type Runs = [number, number][];

interface Picks {
  mesh: StageMesh | null;
  /** By face number: 1 when picked. */
  faces: Uint8Array;
  count: number;
  /** How many of the painter's faces that is: polygons, however they were cut into triangles. */
  polygons: number;
  /** The face that was clicked last, while it is picked. */
  last: number | null;
  /** UV points of the surface in the map, as vertices of its geometry. */
  points: ReadonlySet<number>;
  /** Which surface each face belongs to, by its place in the state. */
  surfaceOf: Uint16Array;
}

const NOTHING: Picks = { mesh: null, faces: new Uint8Array(), count: 0, polygons: 0, last: null, points: new Set(), surfaceOf: new Uint16Array() };

/** Faces picked in the Prepare stage; they live with the page, and are not kept. */
export const usePicks = ofProject<Picks>(NOTHING);

// Points are vertices of one surface's map: in another's they would be others.
useDesk.subscribe(({ surface }, before) => surface !== before.surface && usePicks.setState({ points: NOTHING.points }));

/** Take over a model; picks survive as long as faces keep their numbers. chosen: the surface whose map is shown, by its place. */
export function takeMesh(mesh: StageMesh, chosen: number): void {
  const surfaceOf = new Uint16Array(mesh.faces);
  mesh.surfaces.forEach(({ face }, surface) => {
    for (const f of face) surfaceOf[f] = surface;
  });
  const before = usePicks.getState();
  const same = before.mesh?.arrays.faces === mesh.arrays.faces && before.mesh?.arrays.positions === mesh.arrays.positions;
  const faces = same ? before.faces : new Uint8Array(mesh.faces);
  const points = same ? pointsIn(mesh.surfaces[chosen], cornersOf(before.mesh!.surfaces[chosen], before.points)) : new Set<number>();
  usePicks.setState({ mesh, surfaceOf, faces, points, ...(!same && { count: 0, polygons: 0, last: null }) });
}

type Triangles = Pick<SurfaceMesh, "index" | "face">;

/** Each corner of a surface's faces, face · 3 + corner, with the vertex that lies there. */
function eachCorner({ index, face }: Triangles, visit: (corner: number, vertex: number) => void): void {
  index.forEach((vertex, at) => visit(3 * face[Math.floor(at / 3)]! + (at % 3), vertex));
}

/** The corners at which vertices of a surface lie. */
export function cornersOf(surface: Triangles | undefined, vertices: ReadonlySet<number>): Set<number> {
  const found = new Set<number>();
  if (surface && vertices.size) eachCorner(surface, (corner, vertex) => vertices.has(vertex) && found.add(corner));
  return found;
}

/** The vertices that lie at corners; other UVs number them anew. */
function pointsIn(surface: Triangles | undefined, corners: ReadonlySet<number>): Set<number> {
  const found = new Set<number>();
  if (surface && corners.size) eachCorner(surface, (corner, vertex) => corners.has(corner) && found.add(vertex));
  return found;
}

/** All faces that go together with one. */
export function facesWith(face: number, by: PickBy): number[] {
  const { mesh, surfaceOf } = usePicks.getState();
  if (!mesh) return [];
  const label = { face: mesh.polygon, island: mesh.island, piece: mesh.piece, part: mesh.part, surface: surfaceOf }[by];
  const wanted = label[face];
  const found: number[] = [];
  for (let f = 0; f < label.length; f++) if (label[f] === wanted && (by !== "piece" || surfaceOf[f] === surfaceOf[face])) found.push(f);
  return found;
}

/** Pick faces, or let them go; `clicked` is the one under the pointer. */
export function pick(faces: Iterable<number>, how: How, clicked: number | null = null): void {
  const before = usePicks.getState();
  const now = how === "replace" ? new Uint8Array(before.faces.length) : before.faces.slice();
  for (const face of faces) now[face] = how === "remove" ? 0 : 1;
  const last = clicked ?? before.last;
  usePicks.setState({ ...counted(now), last: last !== null && now[last] ? last : null });
}

/** Pick points, or let them go. */
export function pickPoints(points: Iterable<number>, how: How): void {
  const now = new Set(how === "replace" ? [] : usePicks.getState().points);
  for (const point of points) {
    if (how === "remove") now.delete(point);
    else now.add(point);
  }
  usePicks.setState({ points: now });
}

export function pickRuns(runs: Runs): void {
  const { faces } = usePicks.getState();
  const now = new Uint8Array(faces.length);
  for (const [first, end] of runs) now.fill(1, first, end);
  usePicks.setState({ ...counted(now), last: null });
}

/** How many polygons the picked faces belong to, of one surface when it is given. */
export function polygonsPicked(faces: Uint8Array, surface?: number): number {
  const { mesh, surfaceOf } = usePicks.getState();
  const seen = new Set<number>();
  if (mesh) {
    for (let f = 0; f < faces.length; f++) {
      if (faces[f] && (surface === undefined || surfaceOf[f] === surface)) seen.add(mesh.polygon[f]!);
    }
  }
  return seen.size;
}

function counted(faces: Uint8Array): Pick<Picks, "faces" | "count" | "polygons"> {
  return { faces, count: faces.reduce((sum, one) => sum + one, 0), polygons: polygonsPicked(faces) };
}

/** Picked faces as runs, those of one surface only when it is given; null when none is picked. */
export function pickedRuns(surface?: number): Runs | null {
  const { faces, surfaceOf } = usePicks.getState();
  const runs: Runs = [];
  for (let f = 0; f < faces.length; f++) {
    if (!faces[f] || (surface !== undefined && surfaceOf[f] !== surface)) continue;
    const last = runs.at(-1);
    if (last && last[1] === f) last[1] = f + 1;
    else runs.push([f, f + 1]);
  }
  return runs.length ? runs : null;
}
