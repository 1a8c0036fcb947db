import { isPicture } from "../api/files";
import { setReferences, useDesk } from "./desk";
import { takeDropped } from "./dropped";
import { addMissing, isMissing } from "./missing";
import { layAsWash, takeAsDecal, takeIn } from "./pictures";
import type { Project } from "./project";
import { pinReferences } from "./references";
import { sayOfLast } from "./notices";
import { say } from "./session";
import { takeStencil } from "./stencils";

const MODEL = /\.(glb|gltf|obj|ply|stl|zip)$/i;

/** Pictures dropped anywhere on an open project, or pasted, are given to the model that lacks them, or pinned beside it; the
 * browser never opens what is dropped beside the places that take it, as the page would be lost. Returns how to stop.
 */
export function takeDrops(project: Project | null): () => void {
  const stop = new AbortController();
  const { signal } = stop;
  addEventListener("dragover", (event) => event.preventDefault(), { signal });
  const dropped = (event: DragEvent) => {
    if (event.defaultPrevented) return;
    event.preventDefault();
    if (project && event.dataTransfer) takeDropped(event.dataTransfer, (files) => take(project, files));
  };
  const pasted = (event: ClipboardEvent) => {
    const typing = event.target instanceof Element && event.target.closest("input, textarea");
    const files = [...(event.clipboardData?.files ?? [])];
    if (project && !typing && files.length) void take(project, files);
  };
  addEventListener("drop", dropped, { signal });
  addEventListener("paste", pasted, { signal });
  return () => stop.abort();
}

/** A picture becomes one of the project's, over the stage. */
async function asStencil(project: string, file: File): Promise<void> {
  try {
    const [picture] = await takeIn(project, [file]);
    if (picture) takeStencil(picture);
  } catch (error) {
    say((error as Error).message);
  }
}

async function take(project: Project, dropped: File[]): Promise<void> {
  const missing = dropped.filter(isMissing);
  if (missing.length) await addMissing(project, missing);
  const files = dropped.filter((file) => !missing.includes(file));
  if (!files.length) return;
  const model = files.find(({ name }) => MODEL.test(name));
  if (model) return sayOfLast(`${model.name} is a model. To put it in place of this one: Replace model, in Prepare.`);
  const pictures = files.filter(isPicture);
  if (!pictures.length) return sayOfLast(`${files[0]!.name} is no picture that could be taken.`);
  const last = await pinReferences(project.id, pictures);
  if (!last) return;
  const { shown } = useDesk.getState().references;
  setReferences({ shown: true, chosen: last });
  const newest = pictures.at(-1)!;
  // What is used at once was not brought to be looked at: it goes back out of the way.
  const instead = (how: () => Promise<void>) => () => {
    setReferences({ shown });
    void how();
  };
  say(
    `${newest.name} is pinned beside the model. Use it`,
    "as a stencil", instead(() => asStencil(project.id, newest)),
    { label: "as a decal", act: instead(() => takeAsDecal(project, newest)) },
    { label: "as a wash", act: instead(() => layAsWash(project, pictures)) },
  ); // prettier-ignore
}
