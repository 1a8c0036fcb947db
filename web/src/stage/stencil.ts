import type { Stencil } from "../api/schema.generated";
import { fenceNow, maskLoad, receivingLayers, useDesk } from "../state/desk";
import { useSession } from "../state/session";
import { isStencilled } from "../state/stencils";
import type { Area, Views } from "./views";

/** The stencil as strokes in a view mean it: in that view's pixels or, in the map, in texels; null when there is none. */
export function stencilIn(views: Views, area: Area, inMap: boolean): Stencil | null {
  const desk = useDesk.getState();
  const { picture, right, down, width, height, rotation, mirrored, tint, through, limit, maps } = desk.stencil;
  if (!picture || !isStencilled(desk)) return null;
  const middle = { x: views.canvas.clientWidth / 2 + right - area.x, y: views.canvas.clientHeight / 2 + down - area.y };
  const common = { picture, rotation, mirrored, tint, through, limit, maps };
  if (!inMap) return { ...common, center: [middle.x, middle.y], size: [width, height] };
  const at = views.map.texelAt(middle.x, middle.y);
  const scale = views.map.pixelsPerTexel;
  return { ...common, center: [at.x, at.y], size: [width / scale, height / scale] };
}

/** Whether the stencil's middle lies over a view; beyond the stage's border it lies over the nearest. */
export function liesOver(area: Area, canvas: { clientWidth: number }): boolean {
  const at = Math.min(Math.max(canvas.clientWidth / 2 + useDesk.getState().stencil.right, 0), canvas.clientWidth - 1);
  return at >= area.x && at < area.x + area.width;
}

/** Whether clicks lay the stencil on whole, where the pointer is. */
export function stamps(): boolean {
  const desk = useDesk.getState();
  return isStencilled(desk) && desk.stencil.stamps;
}

/** Lay the stencil on whole, in the view that it lies over. */
export function applyStencil(views: Views): void {
  const desk = useDesk.getState();
  const { state } = useSession.getState();
  const view = (["model", "map"] as const).find((each) => {
    const area = views.area(each);
    return area && liesOver(area, views.canvas);
  });
  const area = view && views.area(view);
  const stencil = area && stencilIn(views, area, view === "map");
  if (!state || !area || !stencil) return;
  const inMap = view === "map" ? views.chosenName : null;
  views.project.send({
    type: "apply_stencil", stencil, pigment: desk.pigment, mask_value: maskLoad(desk), fence: fenceNow(desk), in_map: inMap,
    camera: inMap ? null : views.model.describe(area.width, area.height), layers: receivingLayers(state),
  }); // prettier-ignore
}
