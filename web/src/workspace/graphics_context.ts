import { type RefObject, useEffect, useState } from "react";

/** Which graphics context of a canvas it is by now, counted from 0; null while the graphics card has let go of it, as it
 * may after sleep, or when its driver starts anew. What was kept there is gone then.
 */
export function useGraphicsContext(canvas: RefObject<HTMLCanvasElement | null>): number | null {
  const [lost, setLost] = useState(false);
  const [count, setCount] = useState(0);
  useEffect(() => {
    const { current } = canvas;
    const stop = new AbortController();
    const loses = (event: Event) => {
      // Or it would never come back.
      event.preventDefault();
      setLost(true);
    };
    const returns = () => {
      setLost(false);
      setCount((before) => before + 1);
    };
    current!.addEventListener("webglcontextlost", loses, { signal: stop.signal });
    current!.addEventListener("webglcontextrestored", returns, { signal: stop.signal });
    return () => stop.abort();
  }, [canvas]);
  return lost ? null : count;
}
