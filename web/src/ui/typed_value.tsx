import { useState } from "react";

import { narrow, numberIn } from "./numbers";
import { refuseTyped, takeTyped } from "./typed";

interface Props {
  /** The value as it is written. */
  text: string;
  disabled?: boolean;
  /** Takes the number that was typed. */
  onType: (number: number) => void;
}

/** A value beside its slider; a click on it lets one type a number instead. */
export function TypedValue({ text, disabled, onType }: Props) {
  const [typed, setTyped] = useState<string | null>(null);
  if (typed === null) {
    return (
      <button
        type="button"
        disabled={disabled}
        title="Type a number"
        onClick={() => setTyped(text.replace(/[^\d.+−-]/g, ""))}
        className="w-full cursor-text rounded-control text-right hover:bg-fog-2"
      >
        {text}
      </button>
    );
  }
  const take = () => {
    const number = numberIn(narrow(typed).replace(/[^\d.,+−-]+$/, ""));
    setTyped(null);
    if (number !== null) {
      takeTyped();
      onType(number);
    } else refuseTyped(typed.trim() ? `“${typed}” is no number. It stays ${text}.` : `Nothing was typed. It stays ${text}.`);
  };
  return (
    <input
      autoFocus
      inputMode="decimal"
      aria-label="A number"
      value={typed}
      onFocus={(event) => event.target.select()}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={take}
      onKeyDown={(event) => {
        if (event.key === "Enter") take();
        else if (event.key === "Escape") setTyped(null);
        event.stopPropagation();
      }}
      className="w-full rounded-control bg-fog-2 text-right"
    />
  );
}
