/** What signs a key has on a Latin keyboard, without Shift and with it. */
const SIGNS: Record<string, [string, string]> = { Comma: [",", "<"], Period: [".", ">"], Slash: ["/", "?"] };

/** A key by its name. Where a keyboard writes another script, or a Mac another sign with Alt, it is what a Latin keyboard has in that place. */
export function latinKey({ key, code, shiftKey }: KeyboardEvent): string {
  const latin = key.length === 1 ? key <= "~" : key !== "Dead";
  if (latin) return key;
  return /^(?:Key|Digit)(\w)$/.exec(code)?.[1] ?? SIGNS[code]?.[shiftKey ? 1 : 0] ?? key;
}
