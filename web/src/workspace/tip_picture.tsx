import { useEffect, useRef } from "react";

import type { Tip } from "../api/schema.generated";

const SIDE = 68;
const INK = 30;

/** The falloff as it will cover, by the same formula as the engine (F3). */
export function TipPicture({ tip }: { tip: Tip }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const { hardness, strength } = tip;
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context) return;
    const image = context.createImageData(SIDE, SIDE);
    const radius = SIDE / 2 - 4;
    for (let y = 0; y < SIDE; y++) {
      for (let x = 0; x < SIDE; x++) {
        const t = Math.hypot(x + 0.5 - SIDE / 2, y + 0.5 - SIDE / 2) / radius;
        const soft = Math.min(hardness, 1 - 1.2 / radius);
        const s = Math.min(1, Math.max(0, (t - soft) / (1 - soft)));
        image.data.set([INK, INK + 6, INK + 4, 255 * strength * (1 - s * s * (3 - 2 * s))], (y * SIDE + x) * 4);
      }
    }
    context.putImageData(image, 0, 0);
  }, [hardness, strength]);
  return <canvas ref={canvas} width={SIDE} height={SIDE} aria-hidden className="rounded-control bg-[#e9ebea]" />;
}
