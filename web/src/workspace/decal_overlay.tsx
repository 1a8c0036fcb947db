import { IconArrowsDiagonal, IconArrowsMove, IconArrowsVertical, IconRefresh } from "@tabler/icons-react";
import { type KeyboardEvent, type PointerEvent, type ReactNode, useState } from "react";

import type { Decal, SurfaceFrame } from "../api/schema.generated";
import { moveDecal, placeUnder } from "../stage/decal_input";
import { type FramePlane, framePlane, type Point, turned } from "../stage/frame_plane";
import type { PaintDrag } from "../stage/paint_drag";
import type { Stage } from "../stage/stage";
import { decalLayer, decalRests, findDecal, type Frame, showDecal, useChosenDecal, useDecals } from "../state/decals";
import { useDesk } from "../state/desk";
import { useMapPlace, useModelPlace } from "../state/map_place";
import { useSession } from "../state/session";

/** Degrees that Shift snaps to. */
const SNAP = 15;
/** Pixels from the frame's upper side to the handle that turns it. */
const ABOVE = 30;
/** The handles' size in pixels. */
const HANDLE = 24;
/** Pixels by which the handles of the corners lie outside of them. */
const OUT = 9;

/** The chosen decal's frame over the stage, with handles that move, turn and scale it, and set its depth. */
export function DecalOverlay({ stage }: { stage: Stage }) {
  useMapPlace((place) => place.tick);
  useModelPlace((place) => place.tick);
  const decal = useChosenDecal();
  const surface = useDesk((desk) => desk.surface);
  useDesk((desk) => desk.layers);
  useDesk((desk) => desk.view);
  const state = useSession((session) => session.state);
  const found = findDecal(state, decal?.id ?? null);
  if (!decal || !found || decalLayer(found.surface)?.id !== found.layer.id) return null;
  // A frame in the map belongs to the surface that is shown there.
  if (decal.frame.kind === "map" && found.surface.name !== surface) return null;
  const plane = framePlane(stage, decal.frame);
  return plane && <FrameHandles stage={stage} decal={decal} plane={plane} />;
}

function FrameHandles({ stage, decal, plane }: { stage: Stage; decal: Decal; plane: FramePlane }) {
  const { frame } = decal;
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
  if (!middle || !top || corners.some((at) => at === null)) return null;
  const box = [depth / 2, -depth / 2].map((z) => sides.map(([x, y]) => corner(x, y, z)));
  const edges = box.every((ring) => ring.every((at) => at !== null)) && depth ? sides.map((_, i) => [box[0]![i]!, box[1]![i]!] as const) : [];
  const away = Math.hypot(top.x - middle.x, top.y - middle.y) || 1;
  const above = { x: top.x + ((top.x - middle.x) / away) * ABOVE, y: top.y + ((top.y - middle.y) / away) * ABOVE };
  const front = depth ? plane.toStage(0, 0, depth / 2) : null;
  const deep = front && Math.hypot(front.x - middle.x, front.y - middle.y) > HANDLE ? front : null;
  const path = (places: (Point | null)[]) => places.map((at) => `${at!.x},${at!.y}`).join(" ");
  const project = stage.project;
  const edit = (next: Frame) => ({ type: "change_decal" as const, decal: decal.id, frame: next });
  const set = (next: Frame) => project.send(edit(next));
  const dragged = (at: (place: Point, first: Point, shift: boolean) => Frame | null): Pull => (stageAt, firstAt, shift) => {
    const place = plane.fromStage(stageAt.x, stageAt.y);
    const first = plane.fromStage(firstAt.x, firstAt.y);
    return place && first && at(place, first, shift);
  };
  const scaled = (factor: number): Frame => ({ ...frame, width: frame.width * factor, height: frame.height * factor });
  const scale = dragged((place, first, shift) => {
    if (!shift) return scaled(Math.max(Math.hypot(place.x, place.y) / Math.max(Math.hypot(first.x, first.y), 1e-12), 1e-3));
    const own = turned(place, -roll);
    return { ...frame, width: Math.max(2 * Math.abs(own.x), 1e-6 * frame.width), height: Math.max(2 * Math.abs(own.y), 1e-6 * frame.height) };
  });
  const turn = dragged((place, _, shift) => {
    const angle = (Math.atan2(place.x, place.y) * 180) / Math.PI;
    return { ...frame, roll: shift ? Math.round(angle / SNAP) * SNAP : Math.round(angle * 10) / 10 };
  });
  const deepen: Pull = (at) => {
    if (!deep) return null;
    const [dx, dy] = [deep.x - middle.x, deep.y - middle.y];
    const along = ((at.x - middle.x) * dx + (at.y - middle.y) * dy) / (dx * dx + dy * dy);
    return { ...(frame as SurfaceFrame), depth: Math.max(depth * along, 1e-4 * depth), measured: false };
  };
  const handle = { stage, decal, edit };
  return (
    <div data-testid="decal-frame" className="pointer-events-none absolute inset-0 overflow-hidden">
      <svg className="absolute inset-0 size-full">
        {edges.map(([from, to], i) => (
          <line key={i} x1={from.x} y1={from.y} x2={to.x} y2={to.y} className="stroke-white/70 [stroke-dasharray:3_3]" />
        ))}
        {edges.length > 0 && box.map((ring, i) => <polygon key={i} points={path(ring)} className="fill-none stroke-white/45 [stroke-dasharray:3_3]" />)}
        <polygon points={path(corners)} className="fill-none stroke-ink/50 [stroke-width:4]" />
        <polygon points={path(corners)} className="fill-none stroke-white [stroke-width:1.5]" />
        <line x1={top.x} y1={top.y} x2={above.x} y2={above.y} className="stroke-white [stroke-width:1.5]" />
      </svg>
      <Handle {...handle} at={middle} label="Move the decal; Ctrl leaves one behind" icon={<IconArrowsMove size={15} />} moves nudge={(dx, dy) => nudge(stage, decal, dx, dy)} />
      <Handle {...handle} at={above} label="Turn the decal; Shift snaps" icon={<IconRefresh size={15} />} pull={turn} nudge={(dx, dy) => set({ ...frame, roll: roll + dx - dy })} />
      {corners.map((at, i) => (
        <Handle key={i} {...handle} at={outward(at!, middle)} label={`Scale the decal at corner ${i + 1}; Shift frees its proportions`} icon={<IconArrowsDiagonal size={13} className={i % 2 ? "" : "rotate-90"} />} pull={scale} nudge={(dx, dy) => set(scaled(1 + (dx - dy) / 100))} />
      ))}
      {deep && <Handle {...handle} at={deep} label="How deep the decal reaches" icon={<IconArrowsVertical size={15} />} pull={deepen} nudge={(dx, dy) => set({ ...(frame as SurfaceFrame), depth: depth * (1 + (dx - dy) / 50), measured: false })} />}
    </div>
  );
}

/** Beyond a corner, so that a small decal is seen between its handles. */
function outward(at: Point, middle: Point): Point {
  const away = Math.hypot(at.x - middle.x, at.y - middle.y) || 1;
  return { x: at.x + ((at.x - middle.x) / away) * OUT, y: at.y + ((at.y - middle.y) / away) * OUT };
}

/** Where a pointer makes a frame, from where it was pressed. */
type Pull = (at: Point, first: Point, shift: boolean) => Frame | null;

interface HandleProps {
  stage: Stage;
  decal: Decal;
  edit: (frame: Frame) => { type: "change_decal"; decal: string; frame: Frame };
  at: Point;
  label: string;
  icon: ReactNode;
  pull?: Pull;
  /** It takes the decal along the surface. */
  moves?: boolean;
  /** What arrow keys do, by pixels. */
  nudge: (dx: number, dy: number) => void;
}

function Handle({ stage, decal, edit, at, label, icon, pull, moves, nudge }: HandleProps) {
  const [held, setHeld] = useState<{ first: Point; pull: Pull | undefined; drag: PaintDrag | null; frame: Frame | null } | null>(null);
  const { project } = stage;
  const place = (event: PointerEvent): Point => {
    const box = stage.canvas.getBoundingClientRect();
    return { x: event.clientX - box.x, y: event.clientY - box.y };
  };
  const press = (event: PointerEvent<HTMLButtonElement>) => {
    event.currentTarget.setPointerCapture(event.pointerId);
    event.stopPropagation();
    const first = place(event);
    // What it was when it was grasped is what is scaled and turned.
    setHeld({ first, pull, drag: moves ? moveDecal(stage, stage.canvas, decal.id, first, event.ctrlKey) : null, frame: null });
  };
  const drag = (event: PointerEvent) => {
    if (!held) return;
    if (held.drag) return held.drag.move(event.nativeEvent);
    const frame = held.pull?.(place(event), held.first, event.shiftKey);
    if (!frame) return;
    setHeld({ ...held, frame });
    showDecal(project, edit(frame));
  };
  const release = (event: PointerEvent) => {
    if (!held) return;
    setHeld(null);
    if (held.drag) return held.drag.release(event.nativeEvent);
    decalRests();
    if (held.frame) project.send(edit(held.frame));
  };
  const cancel = () => {
    if (!held) return;
    setHeld(null);
    decalRests();
    useDecals.setState({ shown: null });
    project.send({ type: "show", edit: null });
  };
  const key = (event: KeyboardEvent) => {
    const step = event.shiftKey ? 10 : 1;
    const by: Record<string, [number, number]> = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] };
    const [dx, dy] = by[event.key] ?? [0, 0];
    if (!dx && !dy) return;
    event.preventDefault();
    event.stopPropagation();
    nudge(dx, dy);
  };
  return (
    <button
      type="button" aria-label={label} title={label} onPointerDown={press} onPointerMove={drag} onPointerUp={release} onPointerCancel={cancel} onKeyDown={key}
      style={{ left: at.x - HANDLE / 2, top: at.y - HANDLE / 2, width: HANDLE, height: HANDLE }}
      className="pointer-events-auto absolute grid touch-none place-items-center rounded-full bg-fog text-ink shadow-[0_1px_4px_rgb(0_0_0/0.4)]"
    >
      {icon}
    </button>
  );
}

/** A step on the screen, along the surface. */
function nudge(stage: Stage, decal: Decal, dx: number, dy: number): void {
  const middle = framePlane(stage, decal.frame)?.toStage(0, 0);
  if (!middle) return;
  const place = placeUnder(stage, middle.x + dx, middle.y + dy, decal.frame.kind === "map");
  if (place) stage.project.send({ type: "move_decal", decal: decal.id, ...place });
}
