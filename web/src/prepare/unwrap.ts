import type { ShapeAxes, Unwrap } from "../api/schema.generated";
import { pickedMiddle } from "../stage/picked";
import type { Stage } from "../stage/stage";
import { type Method, type Preparing, useDesk } from "../state/desk";
import { sayBriefly } from "../state/notices";
import { pickedRuns, usePicks } from "../state/picks";
import type { Project } from "../state/project";
import { useSession } from "../state/session";

/** Ways to unwrap that lay a shape around the faces. */
export const SHAPES: Method[] = ["planar", "box", "cylinder", "sphere"];

/** Make new UVs for the picked faces of the surface in the map, or for all of it. */
export function unwrap(project: Project, stage: Stage): void {
  const { method, angle, margin, axis, keepPaint: keep_paint } = useDesk.getState().preparing;
  const { state, work } = useSession.getState();
  const surface = state?.surfaces[stage.chosen];
  if (!surface) return;
  if (work) {
    sayBriefly("Something is under way. Wait until it is done, or call it off.");
    return;
  }
  const message: Unwrap = {
    type: "unwrap", surface: surface.name, faces: pickedRuns(stage.chosen), method, angle, margin,
    frame: SHAPES.includes(method) ? frameFor(axis, stage) : null, leader: method === "grid" ? leaderOn(stage.chosen) : null, keep_paint,
  }; // prettier-ignore
  project.send(message);
}

/** The face that was clicked last, when it is picked on this surface. */
function leaderOn(surface: number): number | null {
  const { last, surfaceOf } = usePicks.getState();
  return last !== null && surfaceOf[last] === surface ? last : null;
}

/** The axes that a shape is laid on: the model's, around the faces meant, or those of the view. */
function frameFor(axis: Preparing["axis"], stage: Stage): ShapeAxes {
  const center = pickedMiddle(stage).toArray();
  if (axis === "view") {
    const { elements } = stage.model.orbit.camera.matrixWorld;
    return { center, right: [elements[0], elements[1], elements[2]], up: [elements[4], elements[5], elements[6]] };
  }
  const [right, up] = {
    x: [[0, 1, 0], [1, 0, 0]],
    y: [[1, 0, 0], [0, 1, 0]],
    z: [[1, 0, 0], [0, 0, 1]],
  }[axis] as [ShapeAxes["right"], ShapeAxes["up"]]; // prettier-ignore
  return { center, right, up };
}
