import type { PointerEvent } from "react";

import { apart, beyond, type Point } from "../stage/frame_plane";
import { type IslandGrip, type Matrix } from "../stage/island_grip";
import { PrepareInput } from "../stage/prepare_input";
import { grabIslands } from "../stage/picked";
import type { Stage } from "../stage/stage";
import { withinReach } from "../stage/within_reach";
import { useDesk } from "../state/desk";
import { useHold } from "../state/held";
import { useMapPlace } from "../state/map_place";
import { usePicks } from "../state/picks";

type Handle = "turn" | [across: number, down: number];

const HANDLES: [number, number][] = [[0, 0], [0.5, 0], [1, 0], [1, 0.5], [1, 1], [0.5, 1], [0, 1], [0, 0.5]];
const STILL: Matrix = [1, 0, 0, 1, 0, 0];
const QUARTER = Math.PI / 2;
/** Within this angle a turn snaps to right angles; Shift turns freely. */
const SNAP = 0.09;
/** Pixels from the upper side to the knob that turns them. */
const ABOVE = 26;
/** Pixels by which it keeps away from the handle in the middle of that side. */
const CLEAR = 16;

/** Around the picked islands in the map: handles to scale them on one or both axes, and to turn them. */
export function IslandBox({ stage }: { stage: Stage }) {
  // Another model, other picks, another surface or another place on the screen: another box.
  usePicks();
  useMapPlace((place) => place.tick);
  useDesk((desk) => desk.surface);
  const hold = useHold<{ handle: Handle; grip: IslandGrip; matrix: Matrix }>({
    move: (drag, event) => {
      const box = (event.currentTarget as SVGElement).ownerSVGElement!.getBoundingClientRect();
      const area = stage.area("map")!;
      const at = stage.map.texelAt(event.clientX - box.x - area.x, event.clientY - box.y);
      const { handle, grip } = drag;
      const matrix = handle === "turn" ? turned(grip, at, event.shiftKey) : scaled(grip, handle, at, event.shiftKey);
      grip.preview(matrix);
      hold.change({ ...drag, matrix });
      stage.invalidate();
    },
    release: ({ matrix, grip }) => new PrepareInput(stage).send(matrix, grip),
    back: ({ grip }) => {
      grip.letGo();
      stage.invalidate();
    },
  });
  const drag = hold.held;
  const grip = drag?.grip ?? grabIslands(stage);
  const area = stage.area("map");
  if (!grip || !area) return null;

  const place = (x: number, y: number) => {
    const at = stage.map.placeOf(x, y);
    return [at.x + area.x, at.y] as const;
  };
  const [a, b, c, d, e, f] = drag?.matrix ?? STILL;
  const through = (u: number, v: number) => {
    const x = grip.low[0] + u * (grip.high[0] - grip.low[0]);
    const y = grip.low[1] + v * (grip.high[1] - grip.low[1]);
    return place(a * x + c * y + e, b * x + d * y + f);
  };
  const corners = [through(0, 0), through(1, 0), through(1, 1), through(0, 1)];
  const between = (down: number): Point => {
    const [x, y] = through(0.5, down);
    return { x, y };
  };
  const [top, middle] = [between(0), between(0.5)];
  const reached = withinReach(beyond(top, middle, ABOVE), middle, area);
  // Inside of the handle that it came to lie on.
  const knob = apart(reached, top) < CLEAR ? beyond(top, middle, -ABOVE) : reached;

  const press = (handle: Handle) => (event: PointerEvent) => {
    event.preventDefault();
    hold.press(event, () => ({ handle, grip, matrix: STILL }));
  };

  return (
    <svg className="pointer-events-none absolute inset-0 size-full touch-none" aria-label="Picked islands" data-testid="island-box" data-over-stage>
      <polygon points={corners.join(" ")} fill="none" stroke="#fff" strokeWidth={3} opacity={0.8} />
      <polygon points={corners.join(" ")} fill="none" stroke="var(--accent)" strokeWidth={1.4} />
      <line x1={top.x} y1={top.y} x2={knob.x} y2={knob.y} stroke="var(--accent)" strokeWidth={1.4} />
      <circle
        cx={knob.x} cy={knob.y} r={7} fill="#fff" stroke="var(--accent)" strokeWidth={2}
        className="pointer-events-auto cursor-grab" data-handle="turn" onPointerDown={press("turn")} {...hold.handlers}
      >
        <title>Turn; snaps to right angles, Shift turns freely</title>
      </circle>
      {HANDLES.map((handle) => {
        const [x, y] = through(...handle);
        return (
          <rect
            key={handle.join()} x={x - 5.5} y={y - 5.5} width={11} height={11} rx={2.5} fill="#fff"
            stroke="var(--accent)" strokeWidth={2} className="pointer-events-auto cursor-pointer"
            data-handle={handle.join()} onPointerDown={press(handle)} {...hold.handlers}
          >
            <title>Scale; corners keep proportions unless Shift is held, sides scale one axis</title>
          </rect>
        );
      })}
    </svg>
  );
}

/** About the box's middle, by the angle of the pointer against straight up. */
function turned(grip: IslandGrip, at: { x: number; y: number }, free: boolean): Matrix {
  const [x, y] = [(grip.low[0] + grip.high[0]) / 2, (grip.low[1] + grip.high[1]) / 2];
  let angle = Math.atan2(at.x - x, y - at.y);
  const quarter = Math.round(angle / QUARTER) * QUARTER;
  if (!free && Math.abs(angle - quarter) < SNAP) angle = quarter;
  const [cos, sin] = [Math.cos(angle), Math.sin(angle)];
  return [cos, sin, -sin, cos, x - cos * x + sin * y, y - sin * x - cos * y];
}

/** About the opposite handle. */
function scaled(grip: IslandGrip, [u, v]: [number, number], at: { x: number; y: number }, free: boolean): Matrix {
  const span = [grip.high[0] - grip.low[0], grip.high[1] - grip.low[1]] as const;
  const fixed = [grip.low[0] + (1 - u) * span[0], grip.low[1] + (1 - v) * span[1]] as const;
  const least = 0.02;
  let across = u === 0.5 ? 1 : Math.max(((at.x - fixed[0]) / span[0]) * (u === 1 ? 1 : -1), least);
  let down = v === 0.5 ? 1 : Math.max(((at.y - fixed[1]) / span[1]) * (v === 1 ? 1 : -1), least);
  if (u !== 0.5 && v !== 0.5 && !free) across = down = Math.max(across, down);
  return [across, 0, 0, down, fixed[0] * (1 - across), fixed[1] * (1 - down)];
}
