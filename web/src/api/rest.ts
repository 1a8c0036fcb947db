import { pathOf } from "./files";
import { type StageMesh, readMesh } from "./mesh";
import { CLIENT } from "./paint_socket";
import type { Checkup, Finish, FinishChoice, LayFinish, LibraryPicture, NewProject, Notes, Pinned, Plan, Preset, ProjectCard, Replacement, LibraryTip, TakenPictures, TipChoice, Trial, WholePicture, WorkProgress } from "./schema.generated";

/** An answer that is no success, with the server's sentence for people. */
export class Problem extends Error {}

async function checked(response: Response): Promise<Response> {
  if (response.ok) return response;
  let message = `The server answered ${response.status}. Try again.`;
  try {
    message = ((await response.json()) as { message?: string }).message ?? message;
  } catch {
    // Not ours: keep the plain sentence.
  }
  throw new Problem(message);
}

async function ask(path: string, init?: RequestInit): Promise<Response> {
  let response: Response;
  try {
    response = await fetch(path, init);
  } catch {
    throw new Problem("The server does not answer. Is Nightmist still running?");
  }
  return checked(response);
}

export async function listProjects(): Promise<ProjectCard[]> {
  return (await ask("/api/projects")).json() as Promise<ProjectCard[]>;
}

function filled(files: File[], fields: Record<string, string>): FormData {
  const form = new FormData();
  for (const file of files) form.append("files", file, pathOf(file));
  for (const [name, value] of Object.entries(fields)) form.append(name, value);
  return form;
}

/** `work` is a name under which `workProgress` tells how far it is. */
export async function createProject(files: File[], size: number, work: string): Promise<NewProject> {
  const form = filled(files, { size: String(size), work });
  return (await ask("/api/projects", { method: "POST", body: form })).json() as Promise<NewProject>;
}

export async function copyProject(id: string): Promise<NewProject> {
  return (await ask(`/api/projects/${id}/copy`, { method: "POST" })).json() as Promise<NewProject>;
}

export async function deleteProject(id: string): Promise<void> {
  await ask(`/api/projects/${id}`, { method: "DELETE" });
}

/** Bytes of requests that a browser still sends when the page is gone, less what their heads take. */
const MOST_KEPT_ALIVE = 60_000;

/** The painter's desk as it is now; it arrives even when the page is left at once. */
export async function keepDesk(id: string, desk: object): Promise<void> {
  const body = new Blob([JSON.stringify(desk)], { type: "application/json" });
  await ask(`/api/projects/${id}/desk?client=${CLIENT}`, { method: "PUT", body, keepalive: body.size < MOST_KEPT_ALIVE });
}

export async function practiceProject(body: string, size: number, meters: number): Promise<NewProject> {
  const path = `/api/projects/practice?body=${body}&size=${size}&meters=${meters}`;
  return (await ask(path, { method: "POST" })).json() as Promise<NewProject>;
}

export async function workProgress(work: string): Promise<WorkProgress> {
  return (await ask(`/api/work/${work}`)).json() as Promise<WorkProgress>;
}

export async function callOff(work: string): Promise<void> {
  await ask(`/api/work/${work}`, { method: "DELETE" });
}

/** What the files of all maps would be called. */
export async function mapNames(id: string, names: string): Promise<string[]> {
  return (await ask(`/api/projects/${id}/map_names?names=${encodeURIComponent(names)}`)).json() as Promise<string[]>;
}

export async function loadMesh(id: string): Promise<StageMesh> {
  return readMesh(await (await ask(`/api/projects/${id}/mesh`)).arrayBuffer());
}

/** What would go where; nothing is changed. `surfaces`: as `replaceModel` takes it. */
export async function previewModel(id: string, files: File[], keepPaint: boolean, surfaces: Record<string, string | null>): Promise<Replacement> {
  const body = filled(files, { keep_paint: String(keepPaint), surfaces: JSON.stringify(surfaces) });
  return (await ask(`/api/projects/${id}/model/preview`, { method: "POST", body })).json() as Promise<Replacement>;
}

/** `surfaces`: by the new model's names, whose layers each takes; null for a new beginning. */
export async function replaceModel(id: string, files: File[], keepPaint: boolean, surfaces: Record<string, string | null>): Promise<string[]> {
  const body = filled(files, { keep_paint: String(keepPaint), client: CLIENT, surfaces: JSON.stringify(surfaces) });
  return ((await (await ask(`/api/projects/${id}/model`, { method: "POST", body })).json()) as Notes).notes;
}

export async function addPictures(id: string, files: File[]): Promise<string[]> {
  const body = filled(files, {});
  return ((await (await ask(`/api/projects/${id}/pictures`, { method: "POST", body })).json()) as Notes).notes;
}

export async function listTips(id: string): Promise<TipChoice[]> {
  return (await ask(`/api/projects/${id}/tips`)).json() as Promise<TipChoice[]>;
}

/** light: a gray picture lets paint through where it is light, as in a stencil; else where it is dark. */
export async function addTip(id: string, file: File, light = false): Promise<TipChoice> {
  const body = filled([file], { light: String(light) });
  return (await ask(`/api/projects/${id}/tips`, { method: "POST", body })).json() as Promise<TipChoice>;
}

/** Bring a tip of the library into a project. */
export async function takeTip(id: string, name: string): Promise<TipChoice> {
  return (await ask(`/api/projects/${id}/tips/${encodeURIComponent(name)}/take`, { method: "POST" })).json() as Promise<TipChoice>;
}

/** Take a tip out of the library; it is returned. */
export async function forgetTip(name: string): Promise<LibraryTip> {
  return (await ask(`/api/tips/${encodeURIComponent(name)}`, { method: "DELETE" })).json() as Promise<LibraryTip>;
}

/** Put a tip back that was taken out. */
export async function restoreTip(tip: LibraryTip): Promise<void> {
  await ask("/api/tips", { method: "POST", body: JSON.stringify(tip), headers: { "Content-Type": "application/json" } });
}

export async function listReferences(id: string): Promise<string[]> {
  return (await ask(`/api/projects/${id}/references`)).json() as Promise<string[]>;
}

export async function addReferences(id: string, files: File[]): Promise<Pinned> {
  const body = filled(files, {});
  return (await ask(`/api/projects/${id}/references`, { method: "POST", body })).json() as Promise<Pinned>;
}

export const referenceAddress = (id: string, name: string) => `/api/projects/${id}/references/${encodeURIComponent(name)}`;

export async function readReference(id: string, name: string): Promise<File> {
  return new File([await (await ask(referenceAddress(id, name))).blob()], name);
}

export async function dropReference(id: string, name: string): Promise<void> {
  await ask(referenceAddress(id, name), { method: "DELETE" });
}

const asJson = (method: string, content: unknown): RequestInit => ({
  method,
  headers: { "Content-Type": "application/json" },
  body: JSON.stringify(content),
});

export async function listPresets(): Promise<Preset[]> {
  return (await ask("/api/presets")).json() as Promise<Preset[]>;
}

export async function keepPresets(presets: Preset[]): Promise<void> {
  await ask("/api/presets", asJson("PUT", presets));
}

/** The trial stroke as a picture. */
export async function tryStroke(trial: Trial): Promise<Blob> {
  return (await ask("/api/scratch", asJson("POST", trial))).blob();
}

/** Sides (face · 3 + side) that a mark at a side of a face would cover. */
export async function seamsAt(id: string, face: number, side: number, extent: "edge" | "loop", signal: AbortSignal): Promise<number[]> {
  return (await ask(`/api/projects/${id}/seams?face=${face}&side=${side}&extent=${extent}`, { signal })).json() as Promise<number[]>;
}

/** Take pictures into the project, those that can be read: their ids, and why others were not. */
export async function takePictures(id: string, files: File[]): Promise<TakenPictures> {
  return (await ask(`/api/projects/${id}/library`, { method: "POST", body: filled(files, {}) })).json() as Promise<TakenPictures>;
}

export async function listFinishes(): Promise<FinishChoice[]> {
  return (await ask("/api/finishes")).json() as Promise<FinishChoice[]>;
}

/** Keep a group as a finish; its name is another where that is taken. */
export async function keepFinish(id: string, name: string, group: string): Promise<FinishChoice> {
  return (await ask(`/api/projects/${id}/finishes`, asJson("POST", { name, group }))).json() as Promise<FinishChoice>;
}

/** Forget a finish of one's own; it is returned. */
export async function forgetFinish(name: string): Promise<Finish> {
  return (await ask(`/api/finishes/${encodeURIComponent(name)}`, { method: "DELETE" })).json() as Promise<Finish>;
}

/** Put a finish back that was forgotten. */
export async function restoreFinish(finish: Finish): Promise<void> {
  await ask("/api/finishes", asJson("POST", finish));
}

/** Pictures for all projects. */
export async function listLibrary(): Promise<LibraryPicture[]> {
  return (await ask("/api/pictures")).json() as Promise<LibraryPicture[]>;
}

export const libraryThumbnail = (file: string) => `/api/pictures/${file}/thumbnail`;

/** Bring a picture of the library into a project; its id there. */
export async function takeFromLibrary(id: string, file: string): Promise<string> {
  return (await ask(`/api/projects/${id}/library/take/${file}`, { method: "POST" })).json() as Promise<string>;
}

/** Keep a picture of a project for all projects. */
export async function keepInLibrary(id: string, picture: string): Promise<LibraryPicture> {
  return (await ask(`/api/projects/${id}/library/${picture}/keep`, { method: "POST" })).json() as Promise<LibraryPicture>;
}

/** Take a picture out of the library; it is returned. */
export async function forgetLibraryPicture(file: string): Promise<WholePicture> {
  return (await ask(`/api/pictures/${file}`, { method: "DELETE" })).json() as Promise<WholePicture>;
}

/** Put a picture back that was taken out. */
export async function restoreLibraryPicture(picture: WholePicture): Promise<void> {
  await ask("/api/pictures", asJson("POST", picture));
}

/** Lay a finish; the id of the group that was made. */
export async function postFinish(id: string, wish: Pick<LayFinish, "name" | "surface"> & Partial<LayFinish>): Promise<string> {
  const laid = (await (await ask(`/api/projects/${id}/finishes/lay`, asJson("POST", wish))).json()) as { node: string };
  return laid.node;
}

/** Runs of the faces that belong together with one. */
export async function facesTogether(id: string, face: number, by: string, angle: number): Promise<[number, number][]> {
  return (await ask(`/api/projects/${id}/faces?face=${face}&by=${by}&angle=${angle}`)).json() as Promise<[number, number][]>;
}

/** Runs of the faces over which a picture of flat colors shows the one that it has at a place of a surface's map. */
export async function facesLike(id: string, surface: string, picture: string, [u, v]: [number, number]): Promise<[number, number][]> {
  return (await ask(`/api/projects/${id}/faces_like?surface=${encodeURIComponent(surface)}&picture=${picture}&u=${u}&v=${v}`)).json() as Promise<[number, number][]>;
}

/** The colors with which a picture marks areas. */
export async function markingColors(id: string, picture: string): Promise<string[]> {
  return (await ask(`/api/projects/${id}/library/${picture}/colors`)).json() as Promise<string[]>;
}

export async function regionFaces(id: string, region: string): Promise<[number, number][]> {
  return (await ask(`/api/projects/${id}/regions/${region}/faces`)).json() as Promise<[number, number][]>;
}

export async function loadPlan(id: string, distance: number, fov: number, height: number): Promise<Plan> {
  const query = `distance=${distance}&fov_y=${fov}&picture_height=${height}`;
  return (await ask(`/api/projects/${id}/plan?${query}`)).json() as Promise<Plan>;
}

export async function loadCheckup(id: string): Promise<Checkup[]> {
  return (await ask(`/api/projects/${id}/checkup`)).json() as Promise<Checkup[]>;
}
