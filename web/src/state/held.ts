import { useEffect, useRef, useState } from "react";

/** What a pointer holds over the stage, as told by whoever it holds: how to put it back, undefined for what stays as it is;
 * and whether keys are heard meanwhile. Null when it holds nothing.
 */
let held: { putBack: (() => void) | undefined; hears: boolean } | null = null;

/** A pointer has taken hold of something. Keys are not heard then unless it is the view: they might move what lies below. */
export function takeHold(putBack?: () => void, hears = false): void {
  held = { putBack, hears };
}

/** It has let go. */
export function letGo(): void {
  held = null;
}

/** Whether keys mean what they say. */
export const hearsKeys = (): boolean => held?.hears ?? true;

/** Put what is held back to where it was; false when nothing is. */
export function putBack(): boolean {
  if (!held) return false;
  held.putBack?.();
  held = { ...held, putBack: undefined };
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

/** Something of the stage that a pointer can hold. `back` puts it back: at Escape, or when the pointer is taken away. */
export function useHold<T>(back: (held: T) => void) {
  const [held, setHeld] = useState<T | null>(null);
  // A pointer may be let go before its last move is drawn.
  const last = useRef<T | null>(null);
  // What goes while it is held is let go of by nobody.
  useEffect(() => () => void (last.current && letGo()), []);
  const hold = (taken: T | null) => {
    last.current = taken;
    setHeld(taken);
  };
  const restore = (taken: T) => {
    hold(null);
    back(taken);
  };
  return {
    held,
    take: (taken: T) => {
      hold(taken);
      takeHold(() => restore(taken));
    },
    /** It is held otherwise now. */
    change: hold,
    /** Let go of it where it is, and say how it was held last; null when it was put back before. */
    release: (): T | null => {
      const taken = last.current;
      letGo();
      hold(null);
      return taken;
    },
    cancel: () => {
      letGo();
      if (last.current) restore(last.current);
    },
  };
}
