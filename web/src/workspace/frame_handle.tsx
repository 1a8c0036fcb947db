import type { PointerEvent, ReactNode } from "react";

import type { Point } from "../stage/frame_plane";
import type { Stage } from "../stage/stage";
import { useHold } from "../state/held";
import { onArrowKeys } from "../ui/arrow_keys";

/** The handles' size in pixels. */
export const HANDLE = 24;
/** A side in pixels below which a handle in the middle would hide what it moves. */
const SMALL = 3 * HANDLE;

/** What lies on a handle in the middle of something so large: a dot leaves a small one to be seen. */
export function middleOf(size: number, icon: ReactNode): { icon: ReactNode; bare: boolean } {
  const bare = size < SMALL;
  return { bare, icon: bare ? <span className="size-2 rounded-full bg-white ring-2 ring-ink/50" /> : icon };
}

/** How a button over the stage looks, and where it lies; bare, without the plate that handles stand on. One that lies
 * nowhere is not seen, but held on to where a pointer holds it.
 */
export function handleAt(at: Point | null, bare = false) {
  const { x, y } = at ?? { x: 0, y: 0 };
  return {
    style: { left: x - HANDLE / 2, top: y - HANDLE / 2, width: HANDLE, height: HANDLE },
    className: `${at ? "" : "invisible"} pointer-events-auto absolute grid touch-none place-items-center rounded-full text-[12px] font-semibold ${bare ? "" : "bg-fog text-ink shadow-[0_1px_4px_rgb(0_0_0/0.4)]"}`,
  };
}

/** What a handle does while it is held. Places count from the canvas's corner. */
export interface Grip {
  move: (at: Point, event: globalThis.PointerEvent) => void;
  release: (event: globalThis.PointerEvent) => void;
  cancel: () => void;
}

interface Props {
  stage: Stage;
  at: Point | null;
  label: string;
  icon: ReactNode;
  bare?: boolean;
  grasp: (first: Point, event: globalThis.PointerEvent) => Grip;
  /** What arrow keys do, by pixels. */
  nudge: (dx: number, dy: number) => void;
}

/** A handle of a frame over the stage, for the pointer and for arrow keys. */
export function FrameHandle({ stage, at, label, icon, bare = false, grasp, nudge }: Props) {
  const place = (event: PointerEvent): Point => {
    const box = stage.canvas.getBoundingClientRect();
    return { x: event.clientX - box.x, y: event.clientY - box.y };
  };
  const { press, handlers } = useHold<Grip>({
    move: (grip, event) => grip.move(place(event), event.nativeEvent),
    release: (grip, event) => grip.release(event.nativeEvent),
    back: (grip) => grip.cancel(),
  });
  return (
    <button
      type="button" aria-label={label} title={label} onPointerDown={(event) => press(event, () => grasp(place(event), event.nativeEvent))} {...handlers} onKeyDown={onArrowKeys(nudge)}
      {...handleAt(at, bare)}
    >
      {icon}
    </button>
  );
}
