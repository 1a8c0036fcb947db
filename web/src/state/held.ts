import { useRef, useState } from "react";

/** What a pointer holds over the stage, as told by whoever it holds: how to put it back, undefined for what stays as it is.
 * Null when it holds nothing.
 */
let held: { putBack: (() => void) | undefined } | null = null;

/** A pointer has taken hold of something. */
export function takeHold(putBack?: () => void): void {
  held = { putBack };
}

/** It has let go. */
export function letGo(): void {
  held = null;
}

/** Put what is held back to where it was; false when nothing is. */
export function putBack(): boolean {
  if (!held) return false;
  held.putBack?.();
  held = { putBack: undefined };
  return true;
}

/** Something of the stage that a pointer can hold. `back` puts it back: at Escape, or when the pointer is taken away. */
export function useHold<T>(back: (held: T) => void) {
  const [held, setHeld] = useState<T | null>(null);
  // A pointer may be let go before its last move is drawn.
  const last = useRef<T | null>(null);
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
