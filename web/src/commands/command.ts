import type { Stage } from "../stage/stage";
import type { Desk } from "../state/desk";
import type { Project } from "../state/project";
import { latinKey } from "../ui/latin_key";

/** What commands act on: the project that is open, and its stage. */
export interface Context {
  project: Project;
  stage: Stage;
}

/** Something a painter can do. Buttons, tooltips, keys and the list of keys all come from it. */
export interface Command {
  group: string;
  label: string;
  /** What it does, for tooltips; the keys are added. */
  hint?: string;
  /** As `keyOf` names them. Of gestures: what is held and done, in words. */
  keys: readonly string[];
  /** In which stage of the work its keys mean it; everywhere without one. */
  when?: Desk["stage"];
  /** Done again and again while the key stays down; without it, once. */
  again?: true;
  /** None for gestures: those are done with the pointer. */
  act?: (context: Context) => void;
}

/** The name of what was pressed: modifiers, then the key. Shift is named where it does not make another character. */
export function keyOf(event: KeyboardEvent): string {
  const named = latinKey(event);
  const letter = /^[a-z]$/i.test(named);
  const key = letter ? named.toUpperCase() : named;
  const shift = event.shiftKey && (letter || key.length > 1);
  return [event.ctrlKey || event.metaKey ? "Ctrl+" : "", event.altKey ? "Alt+" : "", shift ? "Shift+" : "", key].join("");
}

const SHOWN: Record<string, string> = { ArrowUp: "↑", ArrowDown: "↓", ArrowLeft: "←", ArrowRight: "→", Escape: "Esc" };

/** A key as painters read it. */
export const shownKey = (key: string): string => key.replace(/Arrow\w+|Escape/, (name) => SHOWN[name] ?? name);
