/** The number that was typed, with a comma or a point, either minus, narrow or wide digits; null for what is none. */
export function numberIn(typed: string): number | null {
  const plain = narrow(typed).trim().replace("−", "-").replace(",", ".");
  const number = Number(plain);
  return plain !== "" && Number.isFinite(number) ? number : null;
}

/** Wide digits and signs, as East Asian keyboards write them, as narrow ones. */
export const narrow = (typed: string): string => typed.normalize("NFKC");

/** A share as it is written. */
export const percent = (share: number): string => `${Math.round(share * 100)}%`;
