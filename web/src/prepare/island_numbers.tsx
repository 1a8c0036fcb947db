import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useState } from "react";

import type { Matrix } from "../stage/island_grip";
import { grabIslands } from "../stage/picked";
import type { Stage } from "../stage/stage";
import { useDesk } from "../state/desk";
import { pickedRuns, usePicks } from "../state/picks";
import type { Project } from "../state/project";
import type { SurfaceState } from "../state/document";
import { NumberField } from "../ui/number_field";

interface Numbers {
  across: number;
  down: number;
  turn: number;
  wide: number;
  high: number;
}

const REST: Numbers = { across: 0, down: 0, turn: 0, wide: 100, high: 100 };

/** Picked islands moved, turned and scaled by numbers, about the middle of their box. */
export function IslandNumbers({ project, stage, surface, index }: { project: Project; stage: Stage; surface: SurfaceState; index: number }) {
  const count = usePicks((picks) => picks.count);
  const [numbers, setNumbers] = useState(REST);
  const apply = (close: () => void) => {
    const grip = grabIslands(stage);
    const faces = pickedRuns(index);
    if (grip && faces) {
      const middle = [0, 1].map((k) => (grip.low[k as 0 | 1] + grip.high[k as 0 | 1]) / 2) as [number, number];
      const { keepPaint: keep_paint } = useDesk.getState().preparing;
      project.send({ type: "move_islands", surface: surface.name, faces, matrix: matrixOf(numbers, middle), keep_paint });
    }
    setNumbers(REST);
    close();
  };
  const field = (label: string, key: keyof Numbers, unit: string, [min, max]: [number, number], title: string) => (
    <NumberField label={label} value={numbers[key]} min={min} max={max} unit={unit} title={title} onChange={(value) => setNumbers({ ...numbers, [key]: value })} />
  );
  const far: [number, number] = [-65536, 65536];
  const factor: [number, number] = [0.01, 100_000];
  return (
    <Popover className="relative">
      <PopoverButton
        disabled={!count}
        title={count ? "Move, turn and scale the picked islands by numbers" : "Pick islands first"}
        className="h-7 rounded-control bg-fog-2 px-2 enabled:hover:bg-fog-3 disabled:opacity-45"
      >
        Numbers
      </PopoverButton>
      <PopoverPanel role="region" aria-label="Move, turn, scale" anchor="top start" className="card z-20 w-56 p-3 shadow-lg [--anchor-gap:8px]">
        {({ close }) => (
          // Labels at the left, numbers below each other.
          <div className="[&_label>span:first-child]:grow [&_label>span:last-child]:w-10">
            {field("Move right", "across", "texels", far, "Negative to the left")}
            {field("Move down", "down", "texels", far, "Negative upwards")}
            {field("Turn", "turn", "°", [-360, 360], "Degrees with the clock")}
            {field("Width", "wide", "%", factor, "Scales in u alone")}
            {field("Height", "high", "%", factor, "Scales in v alone")}
            <button type="button" onClick={() => apply(close)} className="mt-2 h-8 w-full rounded-control bg-accent font-medium text-fog">
              Apply
            </button>
          </div>
        )}
      </PopoverPanel>
    </Popover>
  );
}

/** Scaled, then turned with the clock about a place in texels (v points down), then moved. */
function matrixOf({ across, down, turn, wide, high }: Numbers, [x, y]: [number, number]): Matrix {
  const [sin, cos] = [Math.sin((turn * Math.PI) / 180), Math.cos((turn * Math.PI) / 180)];
  const [a, b, c, d] = [(cos * wide) / 100, (sin * wide) / 100, (-sin * high) / 100, (cos * high) / 100];
  return [a, b, c, d, x + across - a * x - c * y, y + down - b * x - d * y];
}
