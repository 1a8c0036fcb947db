import { useRef } from "react";

import { letGo, takeHold } from "../state/held";

/** What a slider's handle needs so that Escape, while a pointer holds it, puts its value back. */
export function useSliding(value: number, onChange: (value: number) => void) {
  const isBack = useRef(false);
  return {
    onPointerDown: () => {
      isBack.current = false;
      takeHold(() => {
        isBack.current = true;
        onChange(value);
      });
      const stop = new AbortController();
      const release = () => {
        stop.abort();
        letGo();
        // The handle may say once more where it was let go.
        setTimeout(() => (isBack.current = false));
      };
      for (const kind of ["pointerup", "pointercancel"]) window.addEventListener(kind, release, { signal: stop.signal });
    },
    /** The handle is elsewhere; what is put back stays there, wherever the pointer goes on to. */
    slide: (next: number) => {
      if (!isBack.current) onChange(next);
    },
  };
}
