import { decalRests, findDecal, isHandled, showDecal, useDecals } from "../state/decals";
import { useDesk } from "../state/desk";
import { useSession } from "../state/session";
import { unwound } from "./angles";
import type { Views } from "./views";

/** Degrees for each notch of the wheel. */
const NOTCH = 5;
/** Milliseconds after the last notch when the turn is kept, as one step. */
const REST = 350;

let turning: { decal: string; roll: number; rest: number } | null = null;

/** Turn the chosen decal by notches, with the clock or against it; false where none has its handles on a surface, or in the map. */
export function turnChosen({ project }: Views, notches: number): boolean {
  const found = findDecal(useSession.getState().state, useDecals.getState().chosen);
  if (useDesk.getState().stage !== "paint" || !found || !isHandled(found)) return false;
  const { id: decal, frame } = found.decal;
  if (frame.kind === "body") return false;
  if (!notches) return true;
  if (turning) clearTimeout(turning.rest);
  const before = turning?.decal === decal ? turning.roll : ((frame as { roll?: number }).roll ?? 0);
  const roll = unwound(before + NOTCH * notches);
  const edit = { type: "change_decal" as const, decal, frame: { roll } };
  showDecal(project, edit);
  const rest = window.setTimeout(() => {
    turning = null;
    decalRests();
    project.send(edit);
  }, REST);
  turning = { decal, roll, rest };
  return true;
}
