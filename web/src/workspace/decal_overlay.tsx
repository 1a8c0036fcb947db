import { IconArrowsDiagonal, IconArrowsMove, IconArrowsVertical, IconRefresh } from "@tabler/icons-react";
import type { BodyFrame, Frame as Box, Decal, MapFrame, SurfaceFrame } from "../api/schema.generated";
import { byHand, unwound } from "../stage/angles";
import { moveDecal, placeUnder } from "../stage/decal_input";
import { apart, beyond, type FramePlane, framePlane, type Point, turned } from "../stage/frame_plane";
import type { Stage } from "../stage/stage";
import { INNER, withinReach } from "../stage/within_reach";
import { decalRests, findDecal, type FrameChange, isHandled, showDecal, takeDecalBack, useChosenDecal } from "../state/decals";
import { useDesk } from "../state/desk";
import { useMapPlace, useModelPlace } from "../state/map_place";
import { useSession } from "../state/session";
import { FrameBox } from "./frame_box";
import { FrameHandle, type Grip, HANDLE, middleOf } from "./frame_handle";

/** Pixels from the frame's upper side to the handle that turns it. */
const ABOVE = 30;
/** Pixels by which the handles of the corners lie outside of them, so that a small decal is seen between them. */
const OUT = 9;
/** Straight pieces of which each side of a bent frame is drawn. */
const STEPS = 16;

/** The chosen decal's frame over the stage, with handles that move, turn and scale it, and set its depth. */
export function DecalOverlay({ stage }: { stage: Stage }) {
  useMapPlace((place) => place.tick);
  useModelPlace((place) => place.tick);
  const decal = useChosenDecal();
  useDesk((desk) => desk.surface);
  useDesk((desk) => desk.layers);
  useDesk((desk) => desk.view);
  const state = useSession((session) => session.state);
  const found = findDecal(state, decal?.id ?? null);
  if (!decal || !found || !isHandled(found)) return null;
  if (decal.frame.kind === "body") return <BodyHandles stage={stage} decal={decal} frame={decal.frame as BodyFrame} />;
  const frame = decal.frame as SurfaceFrame | MapFrame;
  const plane = framePlane(stage, frame);
  return plane && <FrameHandles stage={stage} decal={decal} frame={frame} plane={plane} />;
}

/** The box around a body. */
function BodyHandles({ stage, decal, frame }: { stage: Stage; decal: Decal; frame: BodyFrame }) {
  const edit = ({ position, size, turn }: Box) => ({ type: "change_decal" as const, decal: decal.id, frame: { position, size, turn } });
  const set = (next: Box) => {
    decalRests();
    stage.project.send(edit(next));
  };
  return <FrameBox stage={stage} frame={frame} shape={frame.shape ?? "box"} onMove={(next) => showDecal(stage.project, edit(next))} onSet={set} onCancel={() => takeDecalBack(stage.project)} />;
}

function FrameHandles({ stage, decal, frame, plane }: { stage: Stage; decal: Decal; frame: SurfaceFrame | MapFrame; plane: FramePlane }) {
  const roll = frame.roll ?? 0;
  const corner = (x: number, y: number, z = 0) => {
    const at = turned({ x: (x * frame.width) / 2, y: (y * frame.height) / 2 }, roll);
    return plane.toStage(at.x, at.y, z);
  };
  const depth = frame.kind === "map" ? 0 : (frame as SurfaceFrame).depth;
  const sides = [[-1, 1], [1, 1], [1, -1], [-1, -1]] as const;
  const corners = sides.map(([x, y]) => corner(x, y));
  const middle = plane.toStage(0, 0);
  const top = corner(0, 1);
  const area = stage.area(frame.kind === "map" ? "map" : "model");
  if (!area || !middle) return null;
  // On the screen, through the middle from side to side.
  const narrowest = 2 * Math.min(...[corner(1, 0), top].map((at) => (at ? apart(middle, at) : Infinity)));
  const ring = (z: number) => rim(plane.bent ? STEPS : 1).map(([x, y]) => corner(x, y, z));
  const outline = around(ring(0));
  const box = [depth / 2, -depth / 2].map(ring);
  const each = box[0]!.length / sides.length;
  const edges = box.every((ring) => ring.every((at) => at !== null)) && depth ? sides.map((_, i) => [box[0]![i * each]!, box[1]![i * each]!] as const) : [];
  const above = top && beyond(top, middle, ABOVE);
  const front = depth ? plane.toStage(0, 0, depth / 2) : null;
  const deep = apart(middle, front) > HANDLE ? front : null;
  const project = stage.project;
  const edit = (next: FrameChange) => ({ type: "change_decal" as const, decal: decal.id, frame: next });
  const set = (next: FrameChange) => project.send(edit(next));
  const dragged = (at: (place: Point, first: Point, shift: boolean) => FrameChange | null): Pull => (stageAt, firstAt, shift) => {
    const place = plane.fromStage(stageAt.x, stageAt.y);
    const first = plane.fromStage(firstAt.x, firstAt.y);
    return place && first && at(place, first, shift);
  };
  const scaled = (factor: number): FrameChange => ({ width: frame.width * factor, height: frame.height * factor });
  const scale = dragged((place, first, shift) => {
    if (!shift) return scaled(Math.max(Math.hypot(place.x, place.y) / Math.max(Math.hypot(first.x, first.y), 1e-12), 1e-3));
    const [own, before] = [turned(place, -roll), turned(first, -roll)];
    const stretched = (now: number, then: number) => Math.max(Math.abs(now) / Math.max(Math.abs(then), 1e-12), 1e-3);
    return { width: frame.width * stretched(own.x, before.x), height: frame.height * stretched(own.y, before.y) };
  });
  const turn = dragged((place, first, shift) => {
    const angle = unwound(roll + ((Math.atan2(place.x, place.y) - Math.atan2(first.x, first.y)) * 180) / Math.PI);
    return { roll: byHand(angle, shift) };
  });
  const deepen: Pull = (at) => {
    if (!deep) return null;
    const [dx, dy] = [deep.x - middle.x, deep.y - middle.y];
    const along = ((at.x - middle.x) * dx + (at.y - middle.y) * dy) / (dx * dx + dy * dy);
    return { depth: Math.max(depth * along, 1e-4 * depth), measured: false };
  };
  const pulled = (pull: Pull) => (first: Point): Grip => {
    let made: FrameChange | null = null;
    return {
      move: (at, event) => {
        made = pull(at, first, event.shiftKey) ?? made;
        if (made) showDecal(project, edit(made));
      },
      release: () => {
        decalRests();
        if (made) set(made);
      },
      cancel: () => takeDecalBack(project),
    };
  };
  const moved = (first: Point, event: PointerEvent): Grip => {
    const drag = moveDecal(stage, stage.canvas, decal.id, first, event.ctrlKey);
    return { move: (_, now) => drag.move(now), release: drag.release, cancel: () => takeDecalBack(project) };
  };
  return (
    <div data-testid="decal-frame" data-over-stage className="pointer-events-none absolute inset-0 contain-strict">
      <svg className="absolute inset-0 size-full">
        {edges.map(([from, to], i) => (
          <line key={i} x1={from.x} y1={from.y} x2={to.x} y2={to.y} className="stroke-white/70 [stroke-dasharray:3_3]" />
        ))}
        {edges.length > 0 && box.map((ring, i) => <path key={i} d={around(ring)} className="fill-none stroke-white/45 [stroke-dasharray:3_3]" />)}
        <path d={outline} className="fill-none stroke-ink/50 [stroke-linecap:round] [stroke-width:4]" />
        <path d={outline} className="fill-none stroke-white [stroke-linecap:round] [stroke-width:1.5]" />
        {top && above && <line x1={top.x} y1={top.y} x2={above.x} y2={above.y} className="stroke-white [stroke-width:1.5]" />}
      </svg>
      <FrameHandle stage={stage} at={middle} label="Move the decal; Ctrl leaves one behind" {...middleOf(narrowest, <IconArrowsMove size={15} />)} grasp={moved} nudge={(dx, dy) => nudge(stage, decal, plane, dx, dy)} />
      <FrameHandle stage={stage} at={above && withinReach(above, middle, area)} label="Turn the decal; Shift snaps, Alt and the wheel turn by 5°" icon={<IconRefresh size={15} />} grasp={pulled(turn)} nudge={(dx, dy) => set({ roll: roll + dx - dy })} />
      {corners.map((at, i) => (
        <FrameHandle key={i} stage={stage} at={at && withinReach(beyond(at, middle, OUT), middle, area, INNER)} label={`Scale the decal at corner ${i + 1}; Shift frees its proportions`} icon={<IconArrowsDiagonal size={13} className={i % 2 ? "" : "rotate-90"} />} grasp={pulled(scale)} nudge={(dx, dy) => set(scaled(1 + (dx - dy) / 100))} />
      ))}
      <FrameHandle stage={stage} at={deep} label="How deep the decal reaches" icon={<IconArrowsVertical size={15} />} grasp={pulled(deepen)} nudge={(dx, dy) => set({ depth: depth * (1 + (dx - dy) / 50), measured: false })} />
    </div>
  );
}

/** Places around a frame, -1 to 1, some to each side, from its upper left corner with the clock. */
function rim(steps: number): [number, number][] {
  const along = Array.from({ length: steps }, (_, i) => (2 * i) / steps - 1);
  return [
    ...along.map((t): [number, number] => [t, 1]), ...along.map((t): [number, number] => [1, -t]),
    ...along.map((t): [number, number] => [-t, -1]), ...along.map((t): [number, number] => [-1, t]),
  ]; // prettier-ignore
}

/** A ring of places as far as it is seen: sides with an end behind the eye are left out. */
function around(ring: (Point | null)[]): string {
  const sides = ring.map((at, i) => [at, ring[(i + 1) % ring.length]] as const);
  return sides.map(([from, to]) => (from && to ? `M${from.x},${from.y}L${to.x},${to.y}` : "")).join("");
}

/** Where a pointer makes a frame, from where it was pressed. */
type Pull = (at: Point, first: Point, shift: boolean) => FrameChange | null;

/** A step on the screen, along the surface. */
function nudge(stage: Stage, decal: Decal, plane: FramePlane, dx: number, dy: number): void {
  const middle = plane.toStage(0, 0);
  if (!middle) return;
  const place = placeUnder(stage, middle.x + dx, middle.y + dy, decal.frame.kind === "map");
  if (place) stage.project.send({ type: "move_decal", decal: decal.id, ...place });
}
