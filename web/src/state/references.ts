import { addReferences, dropReference, listReferences } from "../api/rest";
import { readingFiles } from "./notices";
import { ofProject, whileOpen } from "./of_project";
import { say } from "./session";

/** Names of the pictures pinned in the open project, the oldest first. */
export const useReferences = ofProject<{ names: string[] }>({ names: [] });

const failed = (error: Error) => say(error.message);

export async function loadReferences(project: string): Promise<void> {
  await whileOpen(listReferences(project)).then((names) => useReferences.setState({ names }), failed);
}

/** Pin pictures; answers the name of the last one, or null when none could be read. */
export async function pinReferences(project: string, files: File[]): Promise<string | null> {
  try {
    const pinned = await readingFiles(() => whileOpen(addReferences(project, files)));
    useReferences.setState(({ names }) => ({ names: [...names, ...pinned.names] }));
    return pinned.names.at(-1) ?? null;
  } catch (error) {
    failed(error as Error);
    return null;
  }
}

export async function takeOffReference(project: string, name: string): Promise<void> {
  await whileOpen(dropReference(project, name)).then(
    () => useReferences.setState(({ names }) => ({ names: names.filter((other) => other !== name) })),
    failed,
  );
}
