import type { KeyboardEvent } from "react";

import { sayBriefly } from "../state/notices";
import { inPopover } from "./popover";

/** How the sentence about what was typed last, and could not be taken, leaves: once something is typed that can. */
let withdraw = () => {};

export function refuseTyped(sentence: string): void {
  withdraw = sayBriefly(sentence);
}

export const takeTyped = (): void => withdraw();

/** Enter leaves a field, so that keys are the tools' again; on a card it is typed over next. */
export function onEnter(event: KeyboardEvent<HTMLInputElement>, commit: () => void): void {
  if (event.key !== "Enter") return;
  if (!inPopover(event.currentTarget)) return event.currentTarget.blur();
  commit();
  event.currentTarget.select();
}
