import type { Picture } from "../api/schema.generated";
import { type Desk, useDesk } from "./desk";
import type { DocumentState } from "./document";
import { cropped, type StencilPlace } from "./stencil_place";

export const setStencil = (part: Partial<StencilPlace>) => useDesk.setState(({ stencil }) => ({ stencil: { ...stencil, ...part } }));

const stageBox = () => document.querySelector("canvas[data-ready]")!.getBoundingClientRect();

/** Whether strokes go through a stencil now: one is on, and the brush is at hand or, unless clicks lay it on, the eraser. */
export const isStencilled = ({ tool, stencil }: Desk): boolean =>
  stencil.on && stencil.picture !== null && (tool === "brush" || (tool === "erase" && !stencil.stamps));

/** From now on strokes go through the stencil. */
export function paintThrough(part: Partial<StencilPlace>): void {
  setStencil({ ...part, on: true });
  if (!isStencilled(useDesk.getState())) useDesk.setState({ tool: "brush" });
}

export function toggleStencil(): void {
  if (isStencilled(useDesk.getState())) setStencil({ on: false });
  else paintThrough({});
}

/** A picture comes onto the stage: where it lay before; else, or chosen once more, in the middle, half as high as the stage. */
export function takeStencil({ id, width, height }: Picture): void {
  const { stencil, putAway } = useDesk.getState();
  const { [id]: known, ...others } = putAway;
  if (stencil.picture && stencil.picture !== id) useDesk.setState({ putAway: { ...others, [stencil.picture]: stencil } });
  if (known && stencil.picture !== id) return paintThrough(known);
  const stage = stageBox();
  const tall = Math.min(stage.height / 2, (stage.width * 0.8 * height) / width);
  paintThrough({ picture: id, right: 0, down: 0, rotation: 0, mirrored: false, height: Math.round(tall), width: Math.round((tall * width) / height) });
}

/** The stencil in the middle: as large as the view lets it be, or as many pixels as its picture has. */
export function centerStencil({ width, height }: Picture, size: "whole" | "pixels"): void {
  const stage = stageBox();
  const scale = size === "pixels" ? 1 / window.devicePixelRatio : Math.min(stage.width / width, stage.height / height);
  setStencil({ right: 0, down: 0, width: Math.max(8, width * scale), height: Math.max(8, height * scale), ...(size === "whole" && { rotation: 0 }) });
}

/** Its middle so far from the stage's, but not beyond the stage; whether it could go there. */
export function moveStencil(place: { right?: number; down?: number }): boolean {
  const stage = stageBox();
  const within = (away: number, side: number) => Math.min(side / 2, Math.max(-side / 2, away));
  const wanted = { ...useDesk.getState().stencil, ...place };
  const [right, down] = [within(wanted.right, stage.width), within(wanted.down, stage.height)];
  setStencil({ right, down });
  return right === wanted.right && down === wanted.down;
}

/** Its middle to where the pointer is on the stage. */
export function stencilTo({ x, y }: { x: number; y: number }): void {
  const stage = stageBox();
  setStencil({ right: x - stage.width / 2, down: y - stage.height / 2 });
}

/** Stencils whose picture is gone go; what others show stays where it lies when their picture is cropped otherwise. */
export function followPictures(before: DocumentState | null, after: DocumentState): void {
  if (before?.pictures === after.pictures) return;
  const follow = (place: StencilPlace): StencilPlace => {
    const find = (state: DocumentState | null) => state?.pictures.find(({ id }) => id === place.picture)?.cutout?.crop;
    const [old, now] = [find(before), find(after)];
    return old && now && old.some((side, i) => side !== now[i]) ? cropped(place, old, now) : place;
  };
  const { stencil, putAway } = useDesk.getState();
  const there = (place: StencilPlace) => after.pictures.some(({ id }) => id === place.picture);
  const kept = Object.entries(putAway).filter(([, place]) => there(place));
  useDesk.setState({
    stencil: !stencil.picture || there(stencil) ? follow(stencil) : { ...stencil, picture: null, on: false },
    putAway: Object.fromEntries(kept.map(([id, place]) => [id, follow(place)])),
  });
}
