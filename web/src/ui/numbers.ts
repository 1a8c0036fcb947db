/** The number that was typed, with a comma or a point, and either minus; null for what is none. */
export function numberIn(typed: string): number | null {
  const plain = typed.trim().replace("−", "-").replace(",", ".");
  const number = Number(plain);
  return plain !== "" && Number.isFinite(number) ? number : null;
}

/** A share as it is written. */
export const percent = (share: number): string => `${Math.round(share * 100)}%`;
