import { useDesk } from "../state/desk";
import { hearsKeys, putBack } from "../state/held";
import { takePreset, usePresets } from "../state/presets";
import { closePopover, inPopover } from "../ui/popover";
import { type Command, type Context, keyOf } from "./command";
import { COMMANDS } from "./commands";

const TEXT = "input:not([type=range], [type=checkbox], [type=radio]), textarea, [contenteditable=true]";
/** What takes all keys while it is open. */
const OPEN = "[role=menu], [role=listbox], [role=dialog], select:open";

/** Keys do what the commands say. Returns how to stop listening.
 *
 * A field that is typed in keeps its keys (but undo before anything is typed), and so does a control that was reached by
 * keys. One that merely kept the focus after a press of the pointer gets none: they mean what they mean over the stage.
 * Only a slider is moved on by those that mean nothing there.
 * While a pointer holds something there, Escape puts that back, and no key does anything else.
 */
export function listenToKeys(context: Context): () => void {
  // The browser's own idea of a visible focus is of no use: a list shows it after a click too.
  let byKeys = false;
  let reached = false;
  // Whether the field that has the focus holds something that was typed and not yet taken.
  let typed = false;
  const pressed = (event: KeyboardEvent) => {
    if (event.key === "Tab") byKeys = true;
    const target = event.target as HTMLElement;
    if (event.defaultPrevented || target.closest(OPEN)) return;
    if (event.key === "Escape" && putBack()) return event.preventDefault();
    if (target.matches(TEXT)) {
      if ((event.key === "Enter" || event.key === "Escape") && !inPopover(target)) setTimeout(() => context.stage.focus());
      if (event.key === "Enter") typed = false;
      if (!typed) goesThroughHistory(event, context);
      return;
    }
    // What vanished inside a popover, a field or a row, took the focus along: it would not hear of this.
    if (event.key === "Escape" && target === document.body && closePopover()) return event.preventDefault();
    if (reached && uses(target, event.key)) return;
    if (takesPreset(event, context)) return event.preventDefault();
    const command = commandFor(event);
    if (command) obey(command, event, context);
    else if (reached || target.matches("[type=range]") || !uses(target, event.key)) return;
    event.preventDefault();
  };
  // Wherever the focus is: the browser would offer to put the page into a file.
  const keeps = (event: KeyboardEvent) => {
    if (commandFor(event) !== COMMANDS.kept) return;
    obey(COMMANDS.kept, event, context);
    event.preventDefault();
  };
  const stop = new AbortController();
  addEventListener("keydown", keeps, { signal: stop.signal, capture: true });
  addEventListener("keydown", pressed, { signal: stop.signal });
  addEventListener("pointerdown", () => (byKeys = reached = false), { signal: stop.signal, capture: true });
  addEventListener("focusin", () => ((reached = byKeys), (typed = false)), { signal: stop.signal });
  addEventListener("input", () => (typed = true), { signal: stop.signal });
  return () => stop.abort();
}

/** In a field with nothing to take back of its own, undo and redo mean the project. */
function goesThroughHistory(event: KeyboardEvent, context: Context): void {
  const command = commandFor(event);
  if (command !== COMMANDS.undo && command !== COMMANDS.redo) return;
  obey(command, event, context);
  event.preventDefault();
}

/** Do it; but a switch would go to and fro while its key stays down. */
function obey(command: Command, event: KeyboardEvent, context: Context): void {
  if (hearsKeys() && (!event.repeat || command.again)) command.act!(context);
}

/** Alt and a digit: the preset of that number. */
function takesPreset(event: KeyboardEvent, { project }: Context): boolean {
  const digit = event.altKey && !event.ctrlKey && /^Digit([1-9])$/.exec(event.code)?.[1];
  const preset = digit && useDesk.getState().stage === "paint" && usePresets.getState().presets?.[Number(digit) - 1];
  if (preset) void takePreset(project.id, preset);
  return !!preset;
}

function commandFor(event: KeyboardEvent): Command | undefined {
  const key = keyOf(event);
  const { stage } = useDesk.getState();
  return Object.values<Command>(COMMANDS).find(({ act, keys, when }) => act && (!when || when === stage) && keys.includes(key));
}

/** Whether a control would do something of its own with a key. */
function uses(target: HTMLElement, key: string): boolean {
  const moves = /^(Arrow|Page|Home|End)/.test(key);
  if (target.matches("select")) return moves || key.length === 1 || key === "Enter";
  if (target.matches("input, [role=radio], [role=slider]")) return moves || key === " ";
  return target.matches("button, a, summary") && (key === " " || key === "Enter");
}
