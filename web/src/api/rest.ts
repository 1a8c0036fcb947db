import type { Checkup, NewProject, ProjectCard } from "./schema.generated";

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

export async function createProject(files: File[], size: number): Promise<NewProject> {
  const form = new FormData();
  for (const file of files) form.append("files", file, file.name);
  form.append("size", String(size));
  return (await ask("/api/projects", { method: "POST", body: form })).json() as Promise<NewProject>;
}

export async function deleteProject(id: string): Promise<void> {
  await ask(`/api/projects/${id}`, { method: "DELETE" });
}

export async function loadModel(id: string): Promise<ArrayBuffer> {
  return (await ask(`/api/projects/${id}/model.glb`)).arrayBuffer();
}

export async function loadCheckup(id: string): Promise<Checkup[]> {
  return (await ask(`/api/projects/${id}/checkup`)).json() as Promise<Checkup[]>;
}
