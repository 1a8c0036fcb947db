/** What a pointer holds over the stage, as told by whoever it holds: how to put it back, undefined for what stays as it is.
 * Null when it holds nothing.
 */
let held: { putBack: (() => void) | undefined } | null = null;

/** A pointer has taken hold of something. */
export function takeHold(putBack?: () => void): void {
  held = { putBack };
}

/** It has let go. */
export function letGo(): void {
  held = null;
}

/** Put what is held back to where it was; false when nothing is. */
export function putBack(): boolean {
  if (!held) return false;
  held.putBack?.();
  held = { putBack: undefined };
  return true;
}
