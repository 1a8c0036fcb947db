/** A color of 8 or 16 bits a channel as the screen and fields take it: # and six digits. */
export function eightBits(color: string): string {
  if (color.length !== 13) return color;
  const channel = (k: number) => Math.round(parseInt(color.slice(1 + 4 * k, 5 + 4 * k), 16) / 257);
  return `#${[0, 1, 2].map((k) => channel(k).toString(16).padStart(2, "0")).join("")}`;
}

/** A typed color as it is kept, so that the same one is known again: three digits are short for six, letters are small. */
export const sixDigits = (typed: string): string => (typed.length === 4 ? typed.replace(/[^#]/g, "$&$&") : typed).toLowerCase();
