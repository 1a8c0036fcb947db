import { type PointerEvent, useEffect, useRef, useState } from "react";

/** How a pointer holds something over the stage: how to put it back, undefined for what stays as it is; and whether keys
 * are heard meanwhile.
 */
export interface Hold {
  putBack: (() => void) | undefined;
  hears: boolean;
}

/** What is held last. Null when nothing is. */
let held: Hold | null = null;

/** A pointer has taken hold of something. Keys are not heard then unless it is the view: they might move what lies below. */
export function takeHold(putBack?: () => void, hears = false): Hold {
  return (held = { putBack, hears });
}

/** It has let go, unless something else has been taken hold of since. */
export function letGo(hold: Hold | null): void {
  if (isHeld(hold)) held = null;
}

/** Whether a finger is that of a hand which rests beside what is held. */
export const isPalm = (event: { pointerType: string }): boolean => event.pointerType === "touch" && held !== null;

/** Whether this is what is held, and nothing has been taken hold of since. */
export const isHeld = (hold: Hold | null): boolean => held === hold;

/** Whether keys mean what they say. */
export const hearsKeys = (): boolean => held?.hears ?? true;

/** Put what is held back to where it was; false when nothing is. */
export function putBack(): boolean {
  if (!held) return false;
  const { putBack } = held;
  held.putBack = undefined;
  putBack?.();
  return true;
}

/** Does something once no pointer is pressed, and what its release changes has been told; returns how to call it off. */
export function whenReleased(act: () => void): () => void {
  let timer: ReturnType<typeof setTimeout> | undefined;
  const released = () => (timer = setTimeout(act));
  const stop = new AbortController();
  for (const kind of ["pointerup", "pointercancel"]) window.addEventListener(kind, released, { capture: true, signal: stop.signal });
  return () => {
    stop.abort();
    clearTimeout(timer);
  };
}

/** What happens to something of the stage that a pointer holds. */
interface Held<T> {
  move: (held: T, event: PointerEvent) => void;
  release?: (held: T, event: PointerEvent) => void;
  /** Put it back: at Escape, or when the pointer is taken away. */
  back: (held: T) => void;
}

/** Something of the stage that a pointer can hold, one at a time, and no palm. */
export function useHold<T>({ move, release, back }: Held<T>) {
  const [held, setHeld] = useState<T | null>(null);
  // A pointer may be let go before its last move is drawn; what it held may have been put back before.
  const grip = useRef<{ pointer: number; hold: Hold; held: T | null } | null>(null);
  // What goes while it is held is let go of by nobody.
  useEffect(() => () => letGo(grip.current?.hold ?? null), []);
  const change = (held: T | null) => {
    if (grip.current) grip.current.held = held;
    setHeld(held);
  };
  const restore = () => {
    const before = grip.current?.held;
    change(null);
    if (before) back(before);
  };
  const own = (event: PointerEvent) => grip.current?.pointer === event.pointerId;
  const end = () => {
    letGo(grip.current!.hold);
    grip.current = null;
    setHeld(null);
  };
  return {
    held,
    /** grasp: what is true now is what is changed. */
    press: (event: PointerEvent, grasp: () => T) => {
      event.stopPropagation();
      if (grip.current || isPalm(event)) return;
      event.currentTarget.setPointerCapture(event.pointerId);
      grip.current = { pointer: event.pointerId, hold: takeHold(restore), held: null };
      change(grasp());
    },
    /** It is held otherwise now. */
    change,
    handlers: {
      onPointerMove: (event: PointerEvent) => {
        if (own(event) && grip.current?.held) move(grip.current.held, event);
      },
      onPointerUp: (event: PointerEvent) => {
        if (!own(event)) return;
        const last = grip.current?.held;
        end();
        if (last) release?.(last, event);
      },
      onPointerCancel: (event: PointerEvent) => {
        if (!own(event)) return;
        restore();
        end();
      },
    },
  };
}
