import { isPicture } from "../api/files";
import { takePictures } from "../api/rest";
import type { Picture, Pigment } from "../api/schema.generated";
import { openNodeCard } from "./cards";
import { decalLayer, useDecals } from "./decals";
import { useDesk } from "./desk";
import { readingFiles, sayOfLast } from "./notices";
import { whileOpen } from "./of_project";
import type { Project } from "./project";
import { say, surfaceNamed, useSession } from "./session";

export type MapKey = keyof Pigment;
const ROLES: Record<MapKey, Picture["role"][]> = { base_color: ["color", "id", "normal", "tip"], roughness: ["value"], metallic: ["value"], height: ["height"], opacity: [] };
/** Roles that are laid as colors only where no color came with them: the later, the less. */
const LATE: Partial<Record<Picture["role"], number>> = { id: 1, normal: 2, tip: 2 };
/** Pictures of values whose names say which; only so does one become holes. */
const SAID: [RegExp, MapKey][] = [[/rough/i, "roughness"], [/metal/i, "metallic"], [/(^|[_ -])(opacity|alpha)([_ .-]|$)/i, "opacity"]];
const ORDER: MapKey[] = ["base_color", "roughness", "metallic", "height", "opacity"];

/** The newest picture of the project that marks areas by flat colors; what is to be said when there is none. */
export const idPicture = (): string | null => useSession.getState().state?.pictures.findLast(({ role }) => role === "id")?.id ?? null;
export const NO_ID_PICTURE = "The project has no picture of flat colors that mark areas. Add one, and say so where the picture is described.";

/** Where a picture of the project is to be had: small, as large as a screen shows, or whole, before it was cut out. */
export function pictureAt(project: string, picture: Picture, kind: "thumbnail" | "picture" | "file" = "thumbnail"): string {
  // What is painted changes below its name.
  const looks = [picture.of ? picture.file : "", kind === "file" ? "" : JSON.stringify(picture.cutout ?? {})].join("");
  const cut = looks && `?v=${encodeURIComponent(looks)}`;
  return `/api/projects/${project}/library/${picture.id}/${kind}${cut}`;
}

/** A picture that the server has taken in, once this page knows of it: its answer may come before the change does. */
export function arrived(id: string): Promise<Picture> {
  const find = () => useSession.getState().state?.pictures.find((picture) => picture.id === id);
  return new Promise((resolve) => {
    const known = find();
    if (known) return resolve(known);
    const stop = useSession.subscribe(() => {
      const picture = find();
      if (!picture) return;
      stop();
      resolve(picture);
    });
  });
}

/** Take files into the project, those that can be read; of the others it is told why not. */
export async function takeIn(project: string, files: File[]): Promise<Picture[]> {
  // A drop of something else, as of words, brings none.
  if (!files.length) return [];
  const { pictures } = await readingFiles(() => whileOpen(takePictures(project, files)));
  return Promise.all(pictures.map(arrived));
}

/** Pictures by the maps that their names or their roles say, at first those for which there is none before.
 *
 * None takes a map from another that came with it: areas and normals are laid as colors only where no color came.
 */
export function imagesFor(pictures: Picture[], before: Record<string, string> = {}): Record<string, string> {
  const images: Record<string, string> = {};
  const open = (key: string) => !(key in images);
  const free = (key: string) => !(key in before) && open(key);
  const late = ({ role }: Picture) => LATE[role] ?? 0;
  for (const { id, name, role } of pictures.toSorted((a, b) => late(a) - late(b))) {
    const said = SAID.find(([words, key]) => role === "value" && words.test(name) && free(key))?.[1];
    const maps = ORDER.filter((key) => ROLES[key].includes(role));
    // Where all that it fits were taken before it replaces the first of them; roughness is no color.
    const map = said ?? maps.find(free) ?? maps.find(open);
    if (map) images[map] = id;
  }
  return images;
}

/** Take pictures into the project and lay them over the chosen surface, above the chosen layer. */
export async function layAsWash(project: Project, files: File[]): Promise<void> {
  const desk = useDesk.getState();
  const surface = surfaceNamed(useSession.getState().state, desk.surface);
  const pictures = files.filter(isPicture);
  if (!surface || !files.length) return;
  if (!pictures.length) return sayOfLast(`${files[0]!.name} is no picture that could be laid.`);
  try {
    const images = imagesFor(await takeIn(project.id, pictures));
    project.send({ type: "add_node", surface: surface.name, kind: "wash", above: desk.layers[surface.name] ?? null, images });
  } catch (error) {
    say((error as Error).message);
  }
}

/** Take a picture into the project and into the hand: a click lays it on the model, or in the map. */
export async function takeAsDecal(project: Project, file: File): Promise<void> {
  const desk = useDesk.getState();
  const surface = surfaceNamed(useSession.getState().state, desk.surface);
  if (!surface) return;
  try {
    const [taken] = await takeIn(project.id, [file]);
    if (!decalLayer(surface)) project.send({ type: "add_node", surface: surface.name, kind: "decals", above: desk.layers[surface.name] ?? null });
    useDesk.setState({ maskTarget: null });
    openNodeCard();
    useDecals.setState({ inHand: taken?.id ?? null, chosen: null });
  } catch (error) {
    say((error as Error).message);
  }
}
