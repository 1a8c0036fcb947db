import { type PointerEvent, useState } from "react";

const WIDTH = 270;
const HEIGHT = 90;
type Point = [number, number];

/** A curve drawn by points: drag them, click to add one, double click takes one away. */
export function CurveEditor({ points, onChange, label }: { points: Point[]; onChange: (points: Point[]) => void; label: string }) {
  const [held, setHeld] = useState<number | null>(null);
  const sorted = [...points].sort((a, b) => a[0] - b[0]);
  const at = (event: PointerEvent<SVGElement>): Point => {
    const svg = event.currentTarget.ownerSVGElement ?? (event.currentTarget as SVGSVGElement);
    const box = svg.getBoundingClientRect();
    const clamp = (value: number) => Math.min(1, Math.max(0, value));
    return [clamp((event.clientX - box.x) / box.width), clamp(1 - (event.clientY - box.y) / box.height)];
  };
  const place = ([x, y]: Point) => `${x * WIDTH},${(1 - y) * HEIGHT}`;
  return (
    <svg
      width={WIDTH} height={HEIGHT} role="group" aria-label={label}
      className="mt-1 touch-none rounded-control bg-fog-2"
      onPointerDown={(event) => onChange([...sorted, at(event)].sort((a, b) => a[0] - b[0]))}
    >
      <polyline points={sorted.map(place).join(" ")} fill="none" stroke="var(--accent)" strokeWidth={2} />
      {sorted.map((point, i) => (
        <circle
          key={i} cx={point[0] * WIDTH} cy={(1 - point[1]) * HEIGHT} r={6} fill="#fff" stroke="var(--accent)" strokeWidth={2}
          className="cursor-grab"
          onPointerDown={(event) => {
            event.stopPropagation();
            event.currentTarget.setPointerCapture(event.pointerId);
            setHeld(i);
          }}
          onPointerMove={(event) => {
            if (held !== i) return;
            const next = [...sorted];
            const low = sorted[i - 1]?.[0] ?? 0;
            const high = sorted[i + 1]?.[0] ?? 1;
            const [x, y] = at(event);
            // Points keep their order, the ends their place.
            next[i] = [i === 0 ? 0 : i === sorted.length - 1 ? 1 : Math.min(high, Math.max(low, x)), y];
            onChange(next);
          }}
          onPointerUp={() => setHeld(null)}
          onDoubleClick={() => sorted.length > 2 && onChange(sorted.filter((_, k) => k !== i))}
        />
      ))}
    </svg>
  );
}
