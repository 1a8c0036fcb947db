import { useRef } from "react";

import { letGo, takeHold, whenReleased } from "../state/held";

/** What a slider's handle needs so that Escape, while a pointer holds it, puts its value back. */
export function useSliding(value: number, onChange: (value: number) => void) {
  const isBack = useRef(false);
  return {
    onPointerDown: () => {
      isBack.current = false;
      const hold = takeHold(() => {
        isBack.current = true;
        onChange(value);
      });
      // The handle may say once more where it was let go.
      const stop = whenReleased(() => {
        stop();
        letGo(hold);
        isBack.current = false;
      });
    },
    /** The handle is elsewhere; what is put back stays there, wherever the pointer goes on to. */
    slide: (next: number) => {
      if (!isBack.current) onChange(next);
    },
  };
}
