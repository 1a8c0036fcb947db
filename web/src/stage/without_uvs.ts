import { sayOfLast } from "../state/notices";
import { useSession } from "../state/session";
import type { Spot } from "./paint_drag";

/** Say that faces of a surface have no place in its map. */
export const sayWithoutUvs = (surface: string) => sayOfLast(`${surface} has no UVs here, so nothing can be painted. Unwrap it in Prepare.`);

/** Whether a press met such faces; if so, the painter is told. */
export function lacksUvs(spot: Spot): boolean {
  if (!("hit" in spot) || spot.hit.uv) return false;
  sayWithoutUvs(useSession.getState().state?.surfaces[spot.hit.surface]?.name ?? "This surface");
  return true;
}
