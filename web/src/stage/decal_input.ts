import type { BodyFrame, Decal, MapFrame, SurfaceFrame } from "../api/schema.generated";
import { openNodeCard } from "../state/cards";
import { chooseDecal, decalLayer, type DecalPlace, decalRests, findDecal, showDecal, takeDecalBack, useDecals } from "../state/decals";
import { useDesk } from "../state/desk";
import type { SurfaceState } from "../state/document";
import { useSession } from "../state/session";
import { boxHolds, framePlane, holdsPlace, type Point, turned } from "./frame_plane";
import { idle, type PaintDrag, type Spot } from "./paint_drag";
import { placeOnCanvas } from "./samples";
import type { Views } from "./views";
import { lacksUvs } from "./without_uvs";

/** Pixels of a drag before something moves. */
const SLACK = 3;
/** Milliseconds within which a second press belongs to the first, as of a double click. */
const DOUBLE = 500;
/** A new decal's height, of the view's. */
const USUAL = 0.25;

/** What presses do where a layer of decals receives them: put a picture down, choose a decal, move it. */
export class DecalInput {
  private lastPutDown = -DOUBLE;

  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly views: Views,
  ) {}

  /** Whether a press goes to decals: a picture is in hand, or the layer that receives it holds them. */
  takes(surface: SurfaceState | undefined): boolean {
    const { layers, surface: chosen, maskTarget } = useDesk.getState();
    const { state } = useSession.getState();
    const here = state?.surfaces.find(({ name }) => name === chosen);
    return decalLayer(surface, layers, maskTarget) !== null || (decalLayer(here, layers, maskTarget) !== null && useDecals.getState().inHand !== null);
  }

  press(event: PointerEvent, spot: Spot, surface: SurfaceState): PaintDrag | null {
    const { inHand } = useDecals.getState();
    if (inHand) {
      if (lacksUvs(spot)) return idle();
      this.putDown(inHand, spot, surface);
      this.lastPutDown = event.timeStamp;
      if (!event.shiftKey) useDecals.setState({ inHand: null });
      return idle();
    }
    const met = this.decalAt(spot, surface);
    // What was put down is on its way.
    if (!met && event.timeStamp - this.lastPutDown < DOUBLE) return idle();
    chooseDecal(met?.id ?? null);
    return met ? moveDecal(this.views, this.canvas, met.id, placeOnCanvas(this.canvas, event), event.ctrlKey) : null;
  }

  private putDown(picture: string, spot: Spot, surface: SurfaceState): void {
    const { project } = this.views;
    const chosen = useSession.getState().state?.pictures.find(({ id }) => id === picture);
    const { area } = spot;
    let tall: number;
    let place: DecalPlace;
    if ("hit" in spot) {
      const { point, normal } = spot.hit;
      tall = USUAL * area.height * this.views.model.pixelAt(point, area.height);
      place = { position: point.toArray(), normal: normal.toArray() };
    } else {
      const { width, height } = this.views.overlays[this.views.chosen]!;
      tall = (USUAL * area.height) / this.views.map.pixelsPerTexel / Math.max(width, height);
      place = { uv: [spot.texel.x / width, spot.texel.y / height] };
    }
    const wide = chosen ? (tall * chosen.width) / chosen.height : tall;
    // Long ones are not to reach beyond what is seen.
    const width = wide * Math.min(1, (2.4 * tall) / wide);
    project.send({ type: "place_decal", surface: surface.name, layer: useDesk.getState().layers[surface.name] ?? null, picture, width, ...place });
  }

  /** The topmost decal under a place. */
  private decalAt(spot: Spot, surface: SurfaceState): Decal | undefined {
    const placed = decalLayer(surface)?.placed ?? [];
    const hit = "hit" in spot ? spot.hit : this.views.hitAtTexel(spot.texel);
    const { width, height } = this.views.overlays[this.views.chosen]!;
    return placed.findLast(({ frame, visible }) => {
      if (visible === false) return false;
      if (frame.kind === "body") return hit !== null && boxHolds(frame as BodyFrame, hit.point);
      if (frame.kind !== "map") return hit !== null && holdsPlace(frame as SurfaceFrame, hit.point);
      const { center, roll, width: wide, height: tall } = frame as MapFrame;
      const texel = "texel" in spot ? spot.texel : hit?.uv && { x: hit.uv.x * width, y: hit.uv.y * height };
      if (!texel) return false;
      const longest = Math.max(width, height);
      const [u, v] = center as [number, number];
      const { x, y } = turned({ x: (texel.x - u * width) / longest, y: (v * height - texel.y) / longest }, -(roll ?? 0));
      return Math.abs(x) <= wide / 2 && Math.abs(y) <= tall / 2;
    });
  }
}

/** Drag a decal along the surface, or over the map; with `copies` what is let go is another like it. */
export function moveDecal(views: Views, canvas: HTMLCanvasElement, id: string, first: Point, copies: boolean): PaintDrag {
  const { project } = views;
  const found = findDecal(useSession.getState().state, id);
  const frame = found?.decal.frame;
  // One around a body goes to that under the pointer.
  const middle = frame && frame.kind !== "body" && framePlane(views, frame as SurfaceFrame | MapFrame)?.toStage(0, 0);
  // It is held where it was grasped.
  const held = middle ? { x: middle.x - first.x, y: middle.y - first.y } : { x: 0, y: 0 };
  let place: DecalPlace | null = null;
  return {
    stroke: 0,
    move: (event) => {
      const at = placeOnCanvas(canvas, event);
      if (!frame || (!place && Math.hypot(at.x - first.x, at.y - first.y) < SLACK)) return;
      place = placeUnder(views, at.x + held.x, at.y + held.y, frame.kind === "map") ?? place;
      if (place) showDecal(project, { type: "move_decal", decal: id, ...place });
    },
    cancel: () => takeDecalBack(project),
    release: () => {
      if (!place) return openNodeCard();
      decalRests();
      if (!copies) project.send({ type: "move_decal", decal: id, ...place });
      else {
        project.send({ type: "show", edit: null });
        useDecals.setState({ shown: null });
        project.send({ type: "duplicate_decal", decal: id, ...place });
      }
    },
  };
}

/** What lies under a place of the canvas, in either view: of the model or, where that is meant, of the map. */
export function placeUnder(views: Views, x: number, y: number, inMap: boolean): DecalPlace | null {
  const map = views.area("map");
  const model = views.area("model");
  const overlays = views.overlays[views.chosen];
  if (map && x >= map.x && overlays) {
    const texel = views.map.texelAt(x - map.x, y - map.y);
    if (inMap) return { uv: [texel.x / overlays.width, texel.y / overlays.height] };
    const hit = views.hitAtTexel(texel);
    return hit && { position: hit.point.toArray(), normal: hit.normal.toArray() };
  }
  const hit = model && views.model.hit(x - model.x, y - model.y, model.width, model.height);
  if (!hit) return null;
  if (inMap) return hit.uv && hit.surface === views.chosen ? { uv: [hit.uv.x, hit.uv.y] } : null;
  return { position: hit.point.toArray(), normal: hit.normal.toArray() };
}
