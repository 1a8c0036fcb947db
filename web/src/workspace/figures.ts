/** Lengths in fields go no further. */
export const FAR = 1e6;

/** To be read: three digits at least, whatever the model's unit. */
export const shown = (value: number): string => (value >= 100 ? String(Math.round(value)) : String(Number(value.toPrecision(3))));

/** Four figures fit a field, and say where something lies to a thousandth. */
export const short = (value: number): number => Number(value.toPrecision(4));
