/** While characters are being composed, as Japanese, Chinese and Korean are written, keys are the writing system's: Enter
 * takes the characters and Escape gives them up, neither leaves the field. Safari tells of its Enter by the number alone.
 */
export function leaveKeysToComposing(): void {
  const composing = (event: KeyboardEvent) => event.isComposing || event.keyCode === 229;
  addEventListener("keydown", (event) => composing(event) && event.stopImmediatePropagation(), { capture: true });
}
