import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useState } from "react";

import { useDesk } from "../state/desk";
import { useSession } from "../state/session";
import { type Command, type Context, shownKey } from "./command";
import { COMMANDS } from "./commands";

const WHEN = { prepare: "in Prepare", paint: "in Paint" };

/** All keys, to be searched; a click does what the key does. */
export function KeyList({ context }: { context: Context }) {
  const shown = useSession((session) => session.keysShown);
  const close = () => useSession.setState({ keysShown: false });
  return (
    <Dialog open={shown} onClose={close} className="relative z-30">
      <div className="fixed inset-0 grid place-items-center bg-ink/25 p-6">
        <DialogPanel className="card flex max-h-[calc(100vh-48px)] w-[680px] flex-col p-4 shadow-lg">
          <Found context={context} close={close} />
        </DialogPanel>
      </div>
    </Dialog>
  );
}

function Found({ context, close }: { context: Context; close: () => void }) {
  const [sought, setSought] = useState("");
  const stage = useDesk((desk) => desk.stage);
  const found = Object.entries<Command>(COMMANDS).filter(([, command]) => matches(command, sought));
  const groups = [...new Set(found.map(([, { group }]) => group))];
  return (
    <>
      <div className="flex items-center justify-between gap-4">
        <DialogTitle className="font-semibold">Keys</DialogTitle>
        <input
          autoFocus
          type="text"
          aria-label="Search the keys"
          placeholder="Search"
          value={sought}
          onChange={(event) => setSought(event.target.value)}
          className="h-8 w-60 rounded-control bg-fog-2 px-2.5"
        />
      </div>
      <div className="mt-3 min-h-0 columns-2 gap-6 overflow-y-auto">
        {groups.map((group) => (
          <section key={group} className="mb-3 break-inside-avoid">
            <h3 className="font-semibold text-ink-2">{group}</h3>
            <ul>
              {found
                .filter(([, command]) => command.group === group)
                .map(([id, command]) => (
                  <Row key={id} command={command} away={command.when !== undefined && command.when !== stage} context={context} close={close} />
                ))}
            </ul>
          </section>
        ))}
        {!found.length && <p className="text-ink-2">No key does that.</p>}
      </div>
    </>
  );
}

function Row({ command, away, context, close }: { command: Command; away: boolean; context: Context; close: () => void }) {
  const { label, keys, act, when } = command;
  const text = (
    <>
      <span className={`grow ${away ? "text-ink-2" : ""}`}>
        {label}
        {away && when && <span> {WHEN[when]}</span>}
      </span>
      <span className="flex shrink-0 gap-1">
        {keys.map((key) => (
          <kbd key={key} className="rounded-[6px] bg-fog-2 px-1.5 font-sans text-ink-2 shadow-[inset_0_-1px_0_var(--fog-4)]">
            {shownKey(key)}
          </kbd>
        ))}
      </span>
    </>
  );
  const row = "flex min-h-7 w-full items-center gap-3 rounded-control px-1.5 text-left";
  if (!act || away) return <li className={row}>{text}</li>;
  const run = () => {
    close();
    act(context);
  };
  return (
    <li>
      <button type="button" onClick={run} className={`${row} hover:bg-fog-2`}>
        {text}
      </button>
    </li>
  );
}

function matches({ label, hint, group, keys }: Command, sought: string): boolean {
  const text = [label, hint, group, ...keys].join(" ").toLowerCase();
  return sought.toLowerCase().split(/\s+/).every((word) => text.includes(word));
}
