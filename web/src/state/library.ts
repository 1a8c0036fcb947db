import { create } from "zustand";

import { forgetLibraryPicture, keepInLibrary, listLibrary, restoreLibraryPicture, takeFromLibrary } from "../api/rest";
import type { LibraryPicture, Picture } from "../api/schema.generated";
import { sayBriefly } from "./notices";
import { arrived } from "./pictures";
import { say } from "./session";

/** Pictures for all projects: those that ship with us, and those that painters kept. */
export const useLibrary = create<{ pictures: LibraryPicture[] }>(() => ({ pictures: [] }));

const tell = (error: Error) => say(error.message);

export const loadLibrary = (): Promise<void> => listLibrary().then((pictures) => useLibrary.setState({ pictures })).catch(tell);

/** Bring one into a project; the picture there. */
export async function takeOfLibrary(project: string, { file }: LibraryPicture): Promise<Picture | undefined> {
  try {
    return await arrived(await takeFromLibrary(project, file));
  } catch (error) {
    tell(error as Error);
  }
}

/** Keep a picture of a project for all of them. */
export async function keepForAll(project: string, picture: Picture): Promise<void> {
  try {
    await keepInLibrary(project, picture.id);
    await loadLibrary();
    sayBriefly(`${picture.name} is at hand in all projects now.`);
  } catch (error) {
    tell(error as Error);
  }
}

/** Taken out of the library; projects that have it keep it. */
export async function dropFromLibrary({ file, name }: LibraryPicture): Promise<void> {
  try {
    const gone = await forgetLibraryPicture(file);
    await loadLibrary();
    sayBriefly(`${name} is out of the library.`, "Bring it back", () => void restoreLibraryPicture(gone).then(loadLibrary, tell));
  } catch (error) {
    tell(error as Error);
  }
}
