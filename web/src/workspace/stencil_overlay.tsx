import { IconArrowsDiagonal, IconArrowsMove, IconFlipVertical, IconRefresh } from "@tabler/icons-react";
import { type PointerEvent, type ReactNode, useEffect, useState } from "react";

import { useDesk } from "../state/desk";
import { useHold } from "../state/held";
import { pictureAt } from "../state/pictures";
import { useSession } from "../state/session";
import { LARGEST, type StencilPlace } from "../state/stencil_place";
import { isStencilled, moveStencil, setStencil } from "../state/stencils";
import { onArrowKeys } from "../ui/arrow_keys";
import { middleOf, PLATE } from "./frame_handle";

/** A drag of a handle: where it is and where it began, from the stencil's middle, and what the stencil was then. */
interface Pull {
  now: { x: number; y: number };
  first: { x: number; y: number };
  start: StencilPlace;
  shift: boolean;
}

/** Degrees that Shift snaps to. */
const SNAP = 15;

/** The stencil over the stage, as long as paint goes through it; its handles move, turn and scale it. */
export function StencilOverlay({ project }: { project: string }) {
  const seen = useDesk(isStencilled);
  const { picture, right, down, width, height, rotation, mirrored, opacity, stamps, hides } = useDesk((desk) => desk.stencil);
  const pressed = usePressed();
  const pictures = useSession((session) => session.state?.pictures);
  const chosen = pictures?.find(({ id }) => id === picture);
  if (!chosen || !seen) return null;
  return (
    <div
      data-testid="stencil" data-over-stage
      className={`pointer-events-none absolute ${hides && pressed ? "invisible" : ""}`}
      style={{ left: `calc(50% + ${right}px)`, top: `calc(50% + ${down}px)`, width, height, transform: `translate(-50%, -50%) rotate(${rotation}deg)` }}
    >
      <img alt="" draggable={false} src={pictureAt(project, chosen, "picture")} className="size-full" style={{ opacity, transform: mirrored ? "scaleX(-1)" : undefined }} />
      <div className="absolute inset-0 rounded-[2px] outline-1 outline-white/90 [box-shadow:0_0_0_2px_rgb(30_36_34/0.4)]" />
      {!stamps && (
        <>
          <Handle label="Move the stencil" {...middleOf(Math.min(width, height), <IconArrowsMove size={15} />)} place="top-1/2 left-1/2 -translate-1/2" pull={move} nudge={nudged} />
          <Handle label="Turn the stencil; Shift snaps" icon={<IconRefresh size={15} />} place="-top-9 left-1/2 -translate-x-1/2" pull={turn} nudge={(dx, dy) => setStencil({ rotation: rotation + dx - dy })} />
          <button type="button" aria-label="Mirror the stencil" aria-pressed={mirrored} title="Mirror the stencil: left becomes right" onClick={() => setStencil({ mirrored: !mirrored })} className={`-bottom-3.5 -left-3.5 ${ROUND} ${PLATE}`}>
            <IconFlipVertical size={15} />
          </button>
          <Handle label="Scale the stencil; Shift frees its proportions" icon={<IconArrowsDiagonal size={15} />} place="-right-3.5 -bottom-3.5" pull={scale} nudge={(dx, dy) => setStencil(scaled({ width, height }, 1 + (dx - dy) / 100))} />
        </>
      )}
    </div>
  );
}

const ROUND = "pointer-events-auto absolute grid size-7 touch-none place-items-center rounded-full";

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

interface HandleProps {
  label: string;
  icon: ReactNode;
  bare?: boolean;
  place: string;
  pull: (pull: Pull) => void;
  /** What arrow keys do, by pixels. */
  nudge: (dx: number, dy: number) => void;
}

function Handle({ label, icon, bare = false, place, pull, nudge }: HandleProps) {
  const { press, handlers } = useHold<{ first: Pull["first"]; start: StencilPlace; middle: Pull["now"] }>({
    move: ({ first, start, middle }, event) => {
      const now = { x: event.clientX - middle.x, y: event.clientY - middle.y };
      pull({ now, first, start, shift: event.shiftKey });
    },
    back: ({ start }) => setStencil(start),
  });
  const grasp = (event: PointerEvent<HTMLButtonElement>) => {
    // Turned about its middle, which so is that of the box around it.
    const box = event.currentTarget.closest("[data-testid=stencil]")!.getBoundingClientRect();
    const middle = { x: box.x + box.width / 2, y: box.y + box.height / 2 };
    press(event, () => ({ first: { x: event.clientX - middle.x, y: event.clientY - middle.y }, start: useDesk.getState().stencil, middle }));
  };
  return (
    <button
      type="button" aria-label={label} title={label} onPointerDown={grasp} {...handlers} onKeyDown={onArrowKeys(nudge)}
      className={`${ROUND} ${bare ? "" : PLATE} ${place}`}
    >
      {icon}
    </button>
  );
}

const move = ({ now, first, start }: Pull) => moveStencil({ right: start.right + now.x - first.x, down: start.down + now.y - first.y });

function nudged(dx: number, dy: number): void {
  const { right, down } = useDesk.getState().stencil;
  moveStencil({ right: right + dx, down: down + dy });
}

function turn({ now, shift }: Pull): void {
  const angle = (Math.atan2(now.x, -now.y) * 180) / Math.PI;
  setStencil({ rotation: shift ? Math.round(angle / SNAP) * SNAP : Math.round(angle * 10) / 10 });
}

function scale({ now, first, start, shift }: Pull): void {
  if (!shift) return setStencil(scaled(start, Math.hypot(now.x, now.y) / Math.max(Math.hypot(first.x, first.y), 1)));
  const angle = (-start.rotation * Math.PI) / 180;
  const across = Math.abs(now.x * Math.cos(angle) - now.y * Math.sin(angle));
  const down = Math.abs(now.x * Math.sin(angle) + now.y * Math.cos(angle));
  setStencil({ width: Math.max(8, 2 * across), height: Math.max(8, 2 * down) });
}

function scaled({ width, height }: { width: number; height: number }, factor: number): { width: number; height: number } {
  const bounded = Math.min(factor, LARGEST / Math.max(width, height));
  return { width: Math.max(8, width * bounded), height: Math.max(8, height * bounded) };
}
