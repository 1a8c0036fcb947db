import { IconArrowsDiagonal, IconArrowsMove, IconFlipVertical, IconRefresh } from "@tabler/icons-react";
import { useEffect, useState } from "react";

import { byHand, unwound } from "../stage/angles";
import { type Point, turned } from "../stage/frame_plane";
import type { Stage } from "../stage/stage";
import { withinReach } from "../stage/within_reach";
import { useDesk } from "../state/desk";
import { useMapPlace, useModelPlace } from "../state/map_place";
import { pictureAt } from "../state/pictures";
import { useSession } from "../state/session";
import { LARGEST, type StencilPlace } from "../state/stencil_place";
import { isStencilled, moveStencil, setStencil } from "../state/stencils";
import { FrameHandle, type Grip, HANDLE, handleAt, middleOf } from "./frame_handle";

/** A drag of a handle: where it is and where it began, from the stencil's middle, and what the stencil was then. */
interface Pull {
  now: Point;
  first: Point;
  start: StencilPlace;
  shift: boolean;
}

/** Pixels from the upper side to the handle that turns it. */
const ABOVE = 22;

/** The stencil over the stage, as long as paint goes through it; its handles move, turn and scale it. */
export function StencilOverlay({ stage }: { stage: Stage }) {
  // Its handles lie about the stage's middle, which moves as the stage is made larger.
  const size = () => `${stage.canvas.clientWidth} × ${stage.canvas.clientHeight}`;
  useMapPlace(size);
  useModelPlace(size);
  const seen = useDesk(isStencilled);
  const { picture, right, down, width, height, rotation, mirrored, opacity, stamps, hides } = useDesk((desk) => desk.stencil);
  const pressed = usePressed();
  const pictures = useSession((session) => session.state?.pictures);
  const chosen = pictures?.find(({ id }) => id === picture);
  if (!chosen || !seen) return null;
  const area = { x: 0, y: 0, width: stage.canvas.clientWidth, height: stage.canvas.clientHeight };
  const middle = { x: area.width / 2 + right, y: area.height / 2 + down };
  const seat = (x: number, y: number) => {
    const at = turned({ x, y }, -rotation);
    return withinReach({ x: middle.x + at.x, y: middle.y + at.y }, middle, area);
  };
  // Those of a small one lie apart.
  const [across, below] = [Math.max(width / 2, HANDLE), Math.max(height / 2, HANDLE)];
  const pulled = (pull: (pull: Pull) => void) => (at: Point): Grip => {
    const start = useDesk.getState().stencil;
    const from = ({ x, y }: Point) => ({ x: x - middle.x, y: y - middle.y });
    return { move: (now, event) => pull({ now: from(now), first: from(at), start, shift: event.shiftKey }), release: () => {}, cancel: () => setStencil(start) };
  };
  return (
    <div data-over-stage className={`pointer-events-none absolute inset-0 contain-strict ${hides && pressed ? "invisible" : ""}`}>
      <div data-testid="stencil" className="absolute" style={{ left: `calc(50% + ${right}px)`, top: `calc(50% + ${down}px)`, width, height, transform: `translate(-50%, -50%) rotate(${rotation}deg)` }}>
        <img alt="" draggable={false} src={pictureAt(stage.project.id, chosen, "picture")} className="size-full" style={{ opacity, transform: mirrored ? "scaleX(-1)" : undefined }} />
        <div className="absolute inset-0 rounded-[2px] outline-1 outline-white/90 [box-shadow:0_0_0_2px_rgb(30_36_34/0.4)]" />
      </div>
      {!stamps && (
        <>
          <FrameHandle stage={stage} at={middle} label="Move the stencil" {...middleOf(Math.min(width, height), <IconArrowsMove size={15} />)} grasp={pulled(move)} nudge={nudged} />
          <FrameHandle stage={stage} at={seat(0, -height / 2 - ABOVE)} label="Turn the stencil; Shift snaps" icon={<IconRefresh size={15} />} grasp={pulled(turn)} nudge={(dx, dy) => setStencil({ rotation: rotation + dx - dy })} />
          <button type="button" aria-label="Mirror the stencil" aria-pressed={mirrored} title="Mirror the stencil: left becomes right" onClick={() => setStencil({ mirrored: !mirrored })} {...handleAt(seat(-across, below))}>
            <IconFlipVertical size={15} />
          </button>
          <FrameHandle stage={stage} at={seat(across, below)} label="Scale the stencil; Shift frees its proportions" icon={<IconArrowsDiagonal size={15} />} grasp={pulled(scale)} nudge={(dx, dy) => setStencil(scaled({ width, height }, 1 + (dx - dy) / 100))} />
        </>
      )}
    </div>
  );
}

/** Whether something is being painted: a pointer is pressed on the stage. */
function usePressed(): boolean {
  const [pressed, setPressed] = useState(false);
  useEffect(() => {
    const press = (event: globalThis.PointerEvent) => event.button === 0 && event.pointerType !== "touch" && event.target instanceof HTMLCanvasElement && setPressed(true);
    const release = () => setPressed(false);
    window.addEventListener("pointerdown", press, true);
    window.addEventListener("pointerup", release, true);
    window.addEventListener("pointercancel", release, true);
    return () => {
      window.removeEventListener("pointerdown", press, true);
      window.removeEventListener("pointerup", release, true);
      window.removeEventListener("pointercancel", release, true);
    };
  }, []);
  return pressed;
}

const move = ({ now, first, start }: Pull) => moveStencil({ right: start.right + now.x - first.x, down: start.down + now.y - first.y });

function nudged(dx: number, dy: number): void {
  const { right, down } = useDesk.getState().stencil;
  moveStencil({ right: right + dx, down: down + dy });
}

function turn({ now, first, start, shift }: Pull): void {
  const angle = unwound(start.rotation + ((Math.atan2(now.x, -now.y) - Math.atan2(first.x, -first.y)) * 180) / Math.PI);
  setStencil({ rotation: byHand(angle, shift) });
}

function scale({ now, first, start, shift }: Pull): void {
  if (!shift) return setStencil(scaled(start, Math.hypot(now.x, now.y) / Math.max(Math.hypot(first.x, first.y), 1)));
  const [own, before] = [turned(now, start.rotation), turned(first, start.rotation)];
  const stretched = (side: number, now: number, then: number) => Math.max(8, (side * Math.abs(now)) / Math.max(Math.abs(then), 1));
  setStencil({ width: stretched(start.width, own.x, before.x), height: stretched(start.height, own.y, before.y) });
}

function scaled({ width, height }: { width: number; height: number }, factor: number): { width: number; height: number } {
  const bounded = Math.min(factor, LARGEST / Math.max(width, height));
  return { width: Math.max(8, width * bounded), height: Math.max(8, height * bounded) };
}
