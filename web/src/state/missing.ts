import { addPictures } from "../api/rest";
import type { Project } from "./project";
import { say, useSession } from "./session";

/** Whether the model's file names a picture that is called so and was not given. */
export function isMissing({ name }: File): boolean {
  const surfaces = useSession.getState().state?.surfaces ?? [];
  return surfaces.some(({ missing }) => missing?.some(({ file }) => file.toLowerCase() === name.toLowerCase()));
}

/** Give pictures that were missing; of those that still are it is said. */
export async function addMissing(project: Project, files: File[]): Promise<void> {
  try {
    const notes = await addPictures(project.id, files);
    useSession.setState({ notice: notes.join(" ") || null });
  } catch (error) {
    say((error as Error).message);
  }
}
