/** Steps of a slider's range input. */
export const STEPS = 1000;

interface Scale {
  min: number;
  max: number;
  /** Finer steps at the low end: position grows with the square root of the value. */
  fine?: boolean;
}

/** Where a value stands among the steps. */
export function placeOf(value: number, { min, max, fine }: Scale): number {
  const share = Math.min(1, Math.max(0, (value - min) / (max - min)));
  return Math.round(STEPS * (fine ? Math.sqrt(share) : share));
}

/** The value at a step. */
export function valueAt(place: number, { min, max, fine }: Scale): number {
  return min + (max - min) * (fine ? (place / STEPS) ** 2 : place / STEPS);
}

/** What a typed number means beside a value that is written so: itself, or percent. */
export function meant(typed: number, written: string, read?: (typed: number) => number): number {
  return read ? read(typed) : typed / (written.endsWith("%") ? 100 : 1);
}
