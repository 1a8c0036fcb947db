/** Lengths in fields go no further. */
export const FAR = 1e6;

/** Four figures fit a field, and say where something lies to a thousandth. */
export const short = (value: number): number => Number(value.toPrecision(4));
