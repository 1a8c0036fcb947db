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

export const two = (value: number) => value.toFixed(2);

/** How a map's value is written, and what a typed one means; bump counts from what is level. */
export const written = (map: string): { show: (value: number) => string; read?: (typed: number) => number } =>
  map === "height"
    ? { show: (value) => `${value >= 0.5 ? "+" : "−"}${two(Math.abs(value - 0.5))}`, read: (typed) => typed + 0.5 }
    : { show: two };

type Several = { 2: [number | null, number | null]; 3: [number | null, number | null, number | null]; 4: [number | null, number | null, number | null, number | null] };

/** One of several numbers as it is sent: those that are null stay. */
export const oneOf = <N extends keyof Several>(count: N, at: number, value: number): Several[N] => Array.from({ length: count }, (_, i) => (i === at ? value : null)) as Several[N];
