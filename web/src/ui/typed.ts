import type { KeyboardEvent } from "react";

import { sayBriefly } from "../state/notices";
import { inPopover } from "./popover";

/** How the sentence about what was typed last, and could not be taken, leaves: once something is typed that can. */
let withdraw = () => {};

export function refuseTyped(sentence: string): void {
  withdraw = sayBriefly(sentence);
}

/** A number beyond a slider's ends goes to the nearer one, and that is said. */
export function betweenEnds(label: string, value: number, min: number, max: number, show: (value: number) => string): number {
  if (value < min || value > max) refuseTyped(`${label} goes from ${show(min)} to ${show(max)}.`);
  return Math.min(Math.max(value, min), max);
}

export const takeTyped = (): void => withdraw();

/** Enter leaves a field, so that keys are the tools' again; on a card it is typed over next. */
export function onEnter(event: KeyboardEvent<HTMLInputElement>, commit: () => void): void {
  if (event.key !== "Enter") return;
  if (!inPopover(event.currentTarget)) return event.currentTarget.blur();
  commit();
  event.currentTarget.select();
}
