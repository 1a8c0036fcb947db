import { addReferences, dropReference, listReferences, readReference } from "../api/rest";
import { readingFiles, sayBriefly } from "./notices";
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

/** Take a picture off; it is kept in hand for a while, to be pinned again. */
export async function takeOffReference(project: string, name: string): Promise<void> {
  try {
    const picture = await readReference(project, name);
    await whileOpen(dropReference(project, name));
    useReferences.setState(({ names }) => ({ names: names.filter((other) => other !== name) }));
    sayBriefly(`${name} is taken off.`, "Pin it again", () => void pinReferences(project, [picture]));
  } catch (error) {
    failed(error as Error);
  }
}
