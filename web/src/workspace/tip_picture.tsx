import { useEffect, useRef, useState } from "react";

import type { Tip } from "../api/schema.generated";
import { eightBits } from "../state/color";
import type { Project } from "../state/project";

const SIDE = 68;
const INK = 30;

/** The falloff over s, from the hard middle to the rim; the engine's own. */
function weight(tip: Tip, s: number): number {
  switch (tip.falloff) {
    case "linear":
      return 1 - s;
    case "dome":
      return Math.sqrt(1 - s * s);
    case "point":
      return (1 - s) ** 2;
    case "curve": {
      const points = [...(tip.curve ?? [])].sort((a, b) => a[0] - b[0]);
      const next = points.findIndex(([x]) => x >= s);
      const [a, b] = [points[Math.max(next - 1, 0)], points[next === -1 ? points.length - 1 : next]];
      if (!a || !b) return 0;
      return b[0] > a[0] ? a[1] + ((s - a[0]) / (b[0] - a[0])) * (b[1] - a[1]) : b[1];
    }
    default:
      return 1 - s * s * (3 - 2 * s);
  }
}

/** Whether pixels are a picture in its colors, not one that is dark where paint passes. */
function hasColor(pixels: Uint8ClampedArray): boolean {
  for (let at = 0; at < pixels.length; at += 4) {
    const [r, g, b] = [pixels[at]!, pixels[at + 1]!, pixels[at + 2]!];
    if (Math.max(r, g, b) - Math.min(r, g, b) > 8) return true;
  }
  return false;
}

/** The tip as it will cover: its falloff, through its picture; data: that picture, as base64, where it is at hand. color: its own, else ink. */
export function TipPicture({ tip, project, data = null, color = null }: { tip: Tip; project: Project; data?: string | null; color?: string | null }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [picture, setPicture] = useState<HTMLImageElement | null>(null);
  useEffect(() => {
    let current = true;
    const image = new Image();
    image.onload = () => current && setPicture(image);
    if (data) image.src = `data:image/png;base64,${data}`;
    else if (tip.picture) image.src = `/api/projects/${project.id}/tips/${encodeURIComponent(tip.picture)}.png`;
    return () => {
      current = false;
    };
  }, [tip.picture, project.id, data]);
  useEffect(() => {
    const context = canvas.current?.getContext("2d", { willReadFrequently: true });
    if (!context) return;
    context.clearRect(0, 0, SIDE, SIDE);
    let through: Uint8ClampedArray | null = null;
    if (tip.picture && picture) {
      context.drawImage(picture, 4, 4, SIDE - 8, SIDE - 8);
      through = context.getImageData(0, 0, SIDE, SIDE).data;
    }
    const colored = through !== null && hasColor(through);
    const plain = color ? [1, 3, 5].map((at) => parseInt(eightBits(color).slice(at, at + 2), 16)) : [INK, INK + 6, INK + 4];
    const image = context.createImageData(SIDE, SIDE);
    const radius = SIDE / 2 - 4;
    const soft = Math.min(tip.hardness, 1 - 1.2 / radius);
    for (let y = 0; y < SIDE; y++) {
      for (let x = 0; x < SIDE; x++) {
        const t = Math.hypot(x + 0.5 - SIDE / 2, y + 0.5 - SIDE / 2) / radius;
        const s = Math.min(1, Math.max(0, (t - soft) / (1 - soft)));
        const at = (y * SIDE + x) * 4;
        const passes = !through ? 1 : t >= 1 ? 0 : colored ? through[at + 3]! / 255 : 1 - through[at]! / 255;
        const ink = colored && !tip.tint ? [...through!.subarray(at, at + 3)] : plain;
        image.data.set([...ink, 255 * tip.strength * weight(tip, s) * passes], at);
      }
    }
    context.putImageData(image, 0, 0);
  }, [tip, picture, color]);
  return <canvas ref={canvas} width={SIDE} height={SIDE} aria-hidden className="max-w-full rounded-control bg-[#e9ebea]" />;
}
