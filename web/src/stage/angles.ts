/** Degrees that Shift snaps to. */
const SNAP = 15;

/** Degrees from -180 to 180 that are the same angle. */
export const unwound = (degrees: number): number => degrees - 360 * Math.round(degrees / 360);

/** To what a handle turns by hand: tenths of a degree, or with Shift what it snaps to. */
export const byHand = (degrees: number, shift: boolean): number => (shift ? Math.round(degrees / SNAP) * SNAP : Math.round(degrees * 10) / 10);
