import { addTip, forgetTip, listTips, restoreTip, takeTip } from "../api/rest";
import type { Picture, TipChoice } from "../api/schema.generated";
import { setTip, useDesk } from "./desk";
import { readingFiles, sayBriefly } from "./notices";
import { ofProject, whileOpen } from "./of_project";
import { pictureAt } from "./pictures";
import type { Project } from "./project";
import { say } from "./session";
import { setStencil } from "./stencils";

/** Pictures that a tip may have: shipped, of the project, and of the library for all projects. */
export const useTips = ofProject<{ tips: TipChoice[] }>({ tips: [] });

export function loadTips(project: string): void {
  whileOpen(listTips(project)).then((tips) => useTips.setState({ tips }), () => undefined);
}

/** Whether the tip at hand has a picture in colors. */
export function useColoredTip(): boolean {
  const picture = useDesk(({ tip }) => tip.picture);
  return useTips(({ tips }) => tips.some(({ name, here, colored }) => here && colored && name === picture));
}

/** Where a tip's picture is to be had. */
export function tipAt(project: string, { name, here }: Pick<TipChoice, "name" | "here">): string {
  return `/api/${here ? `projects/${project}/` : ""}tips/${encodeURIComponent(name)}.png`;
}

/** It becomes the tip; one of the library comes into the project first. */
export async function chooseTip(project: string, choice: TipChoice): Promise<void> {
  try {
    const name = choice.here ? choice.name : (await whileOpen(takeTip(project, choice.name))).name;
    if (!choice.here) loadTips(project);
    setTip({ picture: name });
  } catch (error) {
    say((error as Error).message);
  }
}

/** A file becomes the tip, and is kept in the library. */
export async function addOwnTip(project: string, file: File, light = false): Promise<void> {
  try {
    const taken = await readingFiles(async () => ({ notes: [], ...(await whileOpen(addTip(project, file, light))) }));
    setTip({ picture: taken.name });
    loadTips(project);
  } catch (error) {
    say((error as Error).message);
  }
}

/** Taken out of the library; a project that has it keeps it. */
export async function dropTip(project: string, choice: TipChoice): Promise<void> {
  try {
    const kept = await forgetTip(choice.name);
    loadTips(project);
    sayBriefly(`${choice.name} is out of the library.`, "Bring it back", () => void restoreTip(kept).then(() => loadTips(project)));
  } catch (error) {
    say((error as Error).message);
  }
}

/** The name of a tip that is made of a picture. */
export const tipOf = (picture: Picture) => picture.name.replace(/\.\w+$/, "");

/** A picture of the project is stamped with each dab, beside one another at first; its parts that paint are those of a stencil. */
export async function stampWith(project: Project, picture: Picture): Promise<void> {
  const { tint } = useDesk.getState().stencil;
  const blob = await (await fetch(pictureAt(project.id, picture, "picture"))).blob();
  await addOwnTip(project.id, new File([blob], `${tipOf(picture)}.png`, { type: blob.type }), true);
  setStencil({ on: false });
  setTip({ spacing: 1, hardness: 1, tint });
}
