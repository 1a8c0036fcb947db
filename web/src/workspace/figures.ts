/** Lengths in fields go no further. */
export const FAR = 1e6;

/** To be read: three digits at least, whatever the model's unit. */
export const shown = (value: number): string => (value >= 100 ? Math.round(value).toLocaleString("en") : String(Number(value.toPrecision(3))));

/** Four figures fit a field, and say where something lies to a thousandth. */
export const short = (value: number): number => Number(value.toPrecision(4));

/** A place in something so large, or an angle in a whole turn: what is far smaller than that is nothing, not 1e-13. */
export function shortIn(value: number, size: number): number {
  const step = 10 ** (Math.floor(Math.log10(size)) - 4);
  return short(Math.round(value / step) * step);
}

type Several = { 2: [number | null, number | null]; 3: [number | null, number | null, number | null]; 4: [number | null, number | null, number | null, number | null] };

/** One of several numbers as it is sent: those that are null stay. */
export const oneOf = <N extends keyof Several>(count: N, at: number, value: number): Several[N] => Array.from({ length: count }, (_, i) => (i === at ? value : null)) as Several[N];
