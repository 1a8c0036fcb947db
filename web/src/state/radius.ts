import type { Tip } from "../api/schema.generated";
import { setTip, useDesk } from "./desk";
import { useSession } from "./session";

const LARGEST_PIXELS = 400;
/** Shares of the model's size: the smallest and the largest radius, and the one to begin with. */
const [LEAST, MOST, USUAL] = [1e-4, 0.5, 0.03];

/** Between what a tip's radius may lie, in its own unit. */
export function radiusBounds(unit: Tip["unit"]): [least: number, most: number] {
  const { modelSize } = useSession.getState();
  return unit === "world" ? [rounded(LEAST * modelSize), rounded(MOST * modelSize)] : [1, LARGEST_PIXELS];
}

/** A radius that the tip can have. */
export function boundRadius(radius: number): number {
  const [least, most] = radiusBounds(useDesk.getState().tip.unit);
  return Math.min(most, Math.max(least, radius));
}

/** The radius in model units that a tip begins with. */
const usualRadius = () => rounded(USUAL * useSession.getState().modelSize);

/** Two digits that count, whatever the model's unit. */
export const rounded = (value: number) => Number(value.toPrecision(2));

/** Measure the radius in another unit; the brush keeps the size it is seen with. */
export function setUnit(unit: Tip["unit"]): void {
  const { tip } = useDesk.getState();
  const { pixel } = useSession.getState();
  if (unit === tip.unit) return;
  const radius = pixel ? (unit === "world" ? rounded(tip.radius * pixel) : tip.radius / pixel) : unit === "world" ? usualRadius() : 38;
  useDesk.setState({ tip: { ...tip, unit } });
  setTip({ radius: boundRadius(radius) });
}
