import { IconArrowsMove, IconRefresh } from "@tabler/icons-react";
import * as THREE from "three";

import type { Frame, Mapping } from "../api/schema.generated";
import { byHand } from "../stage/angles";
import { apart, type Point, turnOf } from "../stage/frame_plane";
import type { Stage } from "../stage/stage";
import { INNER, withinReach } from "../stage/within_reach";
import { FrameHandle, type Grip } from "./frame_handle";

type Three = [number, number, number];
const AXES = ["X", "Y", "Z"];
/** Pixels from the middle within which the end of an axis has no handle. */
const NEAR = 16;
const STEPS = 48;

interface Props {
  stage: Stage;
  frame: Frame;
  shape: NonNullable<Mapping["shape"]>;
  /** While a handle is held. */
  onMove: (next: Frame, event: PointerEvent) => void;
  /** It is let go, or set by a key. */
  onSet: (next: Frame) => void;
  onCancel: () => void;
}

/** The box in model space that a picture is projected from, in its shape, with handles that move, turn and scale it. */
export function FrameBox({ stage, frame, shape, onMove, onSet, onCancel }: Props) {
  const area = stage.area("model");
  if (!area) return null;
  const size = (frame.size ?? [1, 1, 1]) as Three;
  const middle = new THREE.Vector3(...((frame.position ?? [0, 0, 0]) as Three));
  const turn = turnOf(frame);
  const { camera } = stage.model.orbit;
  const placeOf = (q: Three): Point | null => {
    const place = new THREE.Vector3(q[0] * size[0], q[1] * size[1], q[2] * size[2]).applyMatrix4(turn).add(middle);
    if (place.clone().applyMatrix4(camera.matrixWorldInverse).z > -1e-9) return null;
    const at = stage.model.placeOf(place, area.width, area.height);
    return { x: at.x + area.x, y: at.y + area.y };
  };
  const center = placeOf([0, 0, 0]);
  if (!center) return null;
  const pulled = (made: (at: Point, first: Point, shift: boolean) => Frame | null) => (first: Point): Grip => {
    let now: Frame | null = null;
    return {
      move: (at, event) => {
        now = made(at, first, event.shiftKey) ?? now;
        if (now) onMove(now, event);
      },
      release: () => now && onSet(now),
      cancel: onCancel,
    };
  };
  const pixel = stage.model.pixelAt(middle, area.height);
  const shifted = (dx: number, dy: number): Frame => {
    const by = new THREE.Vector3(dx * pixel, -dy * pixel, 0).applyQuaternion(camera.quaternion);
    return { ...frame, position: middle.clone().add(by).toArray() as Three };
  };
  const nearest = facing(turn, camera.getWorldDirection(new THREE.Vector3()));
  const spun = (degrees: number): Frame => ({ ...frame, turn: degreesOf(turn.clone().multiply(about(nearest.axis, degrees * nearest.sign))) });
  const angleAt = (at: Point) => (Math.atan2(at.x - center.x, center.y - at.y) * 180) / Math.PI;
  const stretched = (k: number, factor: number): Frame => ({ ...frame, size: size.map((side, i) => (i === k || k < 0 ? Math.max(side * factor, 1e-6) : side)) as Three });
  const radius = Math.max(70, ...AXES.map((_, k) => apart(center, placeOf(unit(k, 0.5)))));
  return (
    <div data-testid="frame-box" data-over-stage className="pointer-events-none absolute inset-0 contain-strict">
      <svg className="absolute inset-0 size-full">
        {outlines(shape).map((line, i) => {
          const places = line.map(placeOf);
          if (places.some((at) => at === null)) return null;
          const points = places.map((at) => `${at!.x},${at!.y}`).join(" ");
          return (
            <g key={i} className="fill-none">
              <polyline points={points} className="stroke-ink/40 [stroke-width:3.5]" />
              <polyline points={points} className="stroke-white/90 [stroke-width:1.25]" />
            </g>
          );
        })}
      </svg>
      <FrameHandle stage={stage} at={center} label="Move the frame" icon={<IconArrowsMove size={15} />} grasp={pulled((at, first) => shifted(at.x - first.x, at.y - first.y))} nudge={(dx, dy) => onSet(shifted(dx, dy))} />
      <FrameHandle
        stage={stage} at={withinReach({ x: center.x, y: center.y - radius - 30 }, center, area)} label={`Turn the frame about its ${AXES[nearest.axis]}, which faces you; Shift snaps`} icon={<IconRefresh size={15} />}
        grasp={pulled((at, first, shift) => spun(byHand(angleAt(at) - angleAt(first), shift)))}
        nudge={(dx, dy) => onSet(spun(dx - dy))}
      />
      {AXES.map((axis, k) => {
        const end = placeOf(unit(k, 0.5));
        const [dx, dy] = end ? [end.x - center.x, end.y - center.y] : [0, 0];
        const along = (at: Point) => (at.x - center.x) * dx + (at.y - center.y) * dy;
        return (
          <FrameHandle
            key={axis} stage={stage} at={end && apart(center, end) > NEAR ? withinReach(end, center, area, INNER) : null} label={`Size of the frame along ${axis}; Shift takes all three`} icon={<span>{axis}</span>}
            grasp={pulled((at, first, shift) => stretched(shift ? -1 : k, Math.max(along(at) / along(first), 0.01)))} nudge={(dx, dy) => onSet(stretched(k, 1 + (dx - dy) / 100))}
          />
        );
      })}
    </div>
  );
}

const unit = (k: number, length: number): Three => [0, 1, 2].map((i) => (i === k ? length : 0)) as Three;

function degreesOf(turn: THREE.Matrix4): Three {
  const { x, y, z } = new THREE.Euler().setFromRotationMatrix(turn, "XYZ");
  return [x, y, z].map((angle) => Math.round(THREE.MathUtils.radToDeg(angle) * 100) / 100) as Three;
}

/** A turn about an axis, against the clock seen from its tip. */
function about(axis: number, degrees: number): THREE.Matrix4 {
  return new THREE.Matrix4().makeRotationAxis(new THREE.Vector3(...unit(axis, 1)), THREE.MathUtils.degToRad(degrees));
}

/** Which of a frame's axes points most at the eye, and how a turn with the clock on the screen turns about it. */
function facing(turn: THREE.Matrix4, view: THREE.Vector3): { axis: number; sign: number } {
  const shares = [0, 1, 2].map((k) => new THREE.Vector3().setFromMatrixColumn(turn, k).dot(view));
  const axis = shares.reduce((best, share, k) => (Math.abs(share) > Math.abs(shares[best]!) ? k : best), 0);
  return { axis, sign: shares[axis]! > 0 ? 1 : -1 };
}

/** Lines that show a shape, in the frame's own coordinates, -0.5 to 0.5. */
function outlines(shape: NonNullable<Mapping["shape"]>): Three[][] {
  const ring = (place: (c: number, s: number) => Three): Three[] =>
    Array.from({ length: STEPS + 1 }, (_, i) => place(0.5 * Math.cos((2 * Math.PI * i) / STEPS), 0.5 * Math.sin((2 * Math.PI * i) / STEPS)));
  if (shape === "planar") return [...square(0.5), ...cross(0.5), [[0, 0, -0.5], [0, 0, 0.5]]];
  if (shape === "cylindrical") {
    const walls = [0, 1, 2, 3].map((k): Three[] => [-0.5, 0.5].map((y): Three => [0.5 * Math.sin((k * Math.PI) / 2), y, 0.5 * Math.cos((k * Math.PI) / 2)]));
    return [ring((c, s) => [c, 0.5, s]), ring((c, s) => [c, -0.5, s]), ...walls];
  }
  if (shape === "spherical" || shape === "wrap") return [ring((c, s) => [c, s, 0]), ring((c, s) => [c, 0, s]), ring((c, s) => [0, c, s])];
  const posts = [[-0.5, -0.5], [0.5, -0.5], [0.5, 0.5], [-0.5, 0.5]].map(([x, y]): Three[] => [[x!, y!, -0.5], [x!, y!, 0.5]]);
  return [...square(0.5), ...square(-0.5), ...posts];
}

const square = (z: number): Three[][] => [[[-0.5, -0.5, z], [0.5, -0.5, z], [0.5, 0.5, z], [-0.5, 0.5, z], [-0.5, -0.5, z]]];
/** Where a picture's up is. */
const cross = (z: number): Three[][] => [[[-0.08, 0.42, z], [0, 0.5, z], [0.08, 0.42, z]]];
