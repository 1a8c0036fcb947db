import * as THREE from "three";

import { facesLike, facesTogether } from "../api/rest";
import { type Desk, useDesk } from "../state/desk";
import { useGuide } from "../state/guide";
import { facesWith, type How, pick, pickRuns, pickedRuns, usePicks } from "../state/picks";
import { sayOfLast } from "../state/notices";
import { idPicture, NO_ID_PICTURE } from "../state/pictures";
import { useSession } from "../state/session";
import { idle, type PaintDrag, type Spot } from "./paint_drag";
import type { Area, Views } from "./views";

type Place = { x: number; y: number };
type Met = NonNullable<ReturnType<Views["faceAtPlace"]>>;

/** Pixels between two corners of an outline. */
const STEP = 3;

export const howOf = (event: PointerEvent): How => (event.shiftKey ? "add" : event.ctrlKey || event.metaKey ? "remove" : "replace");

/** Whether what is picked is drawn around, not touched. */
export const isDrawn = (by: Desk["pickBy"]): by is "box" | "shape" => by === "box" || by === "shape";

/** What presses do with the Pick tool: faces for a region by touching or outlining them, and free shapes in the map. */
export class RegionInput {
  constructor(private readonly views: Views) {}

  /** Begin picking on the model or in the map, or, with an outline, beside both. */
  press(event: PointerEvent, spot: Spot | null, area: Area, inMap: boolean): PaintDrag | null {
    if (isDrawn(useDesk.getState().pickBy)) return this.outline(event, area, inMap);
    return spot && this.touch(event);
  }

  private touch(event: PointerEvent): PaintDrag {
    const how = howOf(event);
    const take = ({ offsetX, offsetY }: PointerEvent, by: How) => {
      const met = this.views.faceAtPlace(offsetX, offsetY);
      if (met) void this.takeWith(met, by);
    };
    take(event, how);
    return { ...idle(), move: (next) => take(next, how === "replace" ? "add" : how) };
  }

  private async takeWith({ surface, face, uv }: Met, how: How): Promise<void> {
    const { pickBy: by, pickAngle } = useDesk.getState();
    if (isDrawn(by)) return;
    if (by !== "patch" && by !== "facing" && by !== "color") {
      pick(facesWith(face, by), how, face);
      return;
    }
    const { id } = this.views.project;
    const picture = by === "color" ? idPicture() : null;
    if (by === "color" && !picture) return sayOfLast(NO_ID_PICTURE);
    if (by === "color" && !uv) return sayOfLast(`${surface} has no UVs there that a picture could lie by.`);
    try {
      const runs = picture && uv ? await facesLike(id, surface, picture, uv) : await facesTogether(id, face, by, pickAngle);
      pick(runs.flatMap(([first, end]) => Array.from({ length: end - first }, (_, i) => first + i)), how, face);
    } catch (error) {
      sayOfLast((error as Error).message);
    }
  }

  private outline(event: PointerEvent, area: Area, inMap: boolean): PaintDrag {
    const how = howOf(event);
    const boxed = useDesk.getState().pickBy === "box";
    const from = { x: event.offsetX, y: event.offsetY };
    let corners: Place[] = [from];
    return {
      ...idle(),
      move: ({ offsetX: x, offsetY: y }) => {
        const last = boxed ? from : corners.at(-1)!;
        if (Math.hypot(x - last.x, y - last.y) < STEP) return;
        if (boxed) corners = [from, { x, y: from.y }, { x, y }, { x: from.x, y }];
        else corners.push({ x, y });
        useGuide.setState({ outline: [...corners] });
      },
      cancel: () => useGuide.setState({ outline: null }),
      release: () => {
        useGuide.setState({ outline: null });
        if (corners.length < 3) return;
        const inView = corners.map(({ x, y }) => ({ x: x - area.x, y: y - area.y }));
        if (inMap) this.shape(inView, how);
        else this.pickInside(inView, area, how);
      },
    };
  }

  /** A free shape in the map becomes a region, or joins or cuts the one that is the fence. */
  private shape(corners: Place[], how: How): void {
    const overlays = this.views.overlays[this.views.chosen];
    const surface = this.views.chosenName;
    if (!overlays || !surface) return;
    const polygon = corners.map(({ x, y }): [number, number] => {
      const at = this.views.map.texelAt(x, y);
      return [at.x / overlays.width, at.y / overlays.height];
    });
    const region = useDesk.getState().fence;
    if (how === "replace" || !region) {
      if (how === "remove") sayOfLast("Which region is to be cut? Make one the fence first.");
      else this.views.project.send({ type: "add_region", name: null, faces: [], surface, polygon });
    } else this.views.project.send({ type: "shape_region", region, surface, polygon, taken: how === "remove" });
  }

  /** Faces whose middle is seen inside an outline. */
  private pickInside(outline: Place[], area: Area, how: How): void {
    const found: number[] = [];
    const { model } = this.views;
    model.geometries.forEach(({ geometry, index, face }) => {
      const places = geometry.getAttribute("position") as THREE.BufferAttribute;
      const corner = new THREE.Vector3();
      face.forEach((number, t) => {
        const middle = new THREE.Vector3();
        for (let k = 0; k < 3; k++) middle.addScaledVector(corner.fromBufferAttribute(places, index.getX(3 * t + k)), 1 / 3);
        const at = model.placeOf(middle, area.width, area.height);
        if (inside(outline, at) && model.hit(at.x, at.y, area.width, area.height)?.face === number) found.push(number);
      });
    });
    const { mesh } = usePicks.getState();
    const polygons = new Set(found.map((number) => mesh?.polygon[number]));
    pick(mesh ? [...mesh.polygon.keys()].filter((number) => polygons.has(mesh.polygon[number])) : found, how);
    if (!found.length && how !== "remove") sayOfLast("No face has its middle inside that outline.");
  }
}

/** Keep what is picked as a region, and make it the fence. */
export function keepPicked(views: { project: Views["project"] }): void {
  const faces = pickedRuns();
  if (faces) views.project.send({ type: "add_region", name: null, faces, surface: null, polygon: [] });
  else sayOfLast("No faces are picked yet.");
}

export const pickNone = (): void => pickRuns([]);

/** Whether a place lies inside an outline, by the even-odd rule. */
function inside(outline: Place[], { x, y }: Place): boolean {
  let within = false;
  outline.forEach((a, i) => {
    const b = outline.at(i - 1)!;
    if (a.y <= y !== b.y <= y && x < a.x + ((y - a.y) / (b.y - a.y)) * (b.x - a.x)) within = !within;
  });
  return within;
}

/** Regions by id, as they are known. */
export const regionById = (id: string | null) => useSession.getState().state?.regions.find((region) => region.id === id);
