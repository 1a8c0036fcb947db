import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { IconPlus } from "@tabler/icons-react";
import { type ReactNode, useState } from "react";

interface Props {
  /** What is kept, as in "the preset". */
  what: string;
  /** The button's name and its tooltip, the card's name, a sentence in it, and what its button says. */
  button: string;
  title: string;
  card: string;
  sentence: string;
  submit: string;
  maxLength: number;
  onKeep: (name: string) => void;
  /** More choices. */
  children?: ReactNode;
}

/** A button with a plus; its card asks for a name and keeps what is at hand under it. */
export function KeepUnderName({ what, button, title, card, sentence, submit, maxLength, onKeep, children }: Props) {
  const [typed, setTyped] = useState("");
  const name = typed.trim();
  return (
    <Popover className="shrink-0">
      <PopoverButton title={title} aria-label={button} className="grid size-7 place-items-center rounded-control bg-fog-2 text-ink-2 hover:bg-fog-3">
        <IconPlus size={14} />
      </PopoverButton>
      <PopoverPanel role="region" aria-label={card} anchor="top start" className="card z-20 w-60 p-3 shadow-lg [--anchor-gap:8px]">
        {({ close }) => (
          <form
            onSubmit={(event) => {
              event.preventDefault();
              if (!name) return;
              onKeep(name);
              setTyped("");
              close();
            }}
          >
            <p className="text-ink-2">{sentence}</p>
            <input autoFocus aria-label={`Name of ${what}`} placeholder="Name" value={typed} maxLength={maxLength} onChange={(event) => setTyped(event.target.value)} className="mt-2 h-7 w-full rounded-control bg-fog-2 px-2" />
            {children}
            <button type="submit" disabled={!name} className="mt-2 h-7 w-full rounded-control bg-accent font-medium text-fog disabled:opacity-45">
              {submit}
            </button>
          </form>
        )}
      </PopoverPanel>
    </Popover>
  );
}
