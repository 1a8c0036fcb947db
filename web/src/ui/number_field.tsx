import { useLayoutEffect, useRef, useState } from "react";
import { flushSync } from "react-dom";

import { numberIn } from "./numbers";
import { onEnter, refuseTyped, takeTyped } from "./typed";

interface Props {
  label: string;
  value: number;
  min: number;
  max: number;
  unit?: string;
  title?: string;
  onChange: (value: number) => void;
}

/** A number to be typed; it counts when the field is left or Enter is pressed, Escape keeps the old one. */
export function NumberField({ label, value, min, max, unit, title, onChange }: Props) {
  const [typed, setTyped] = useState<string | null>(null);
  const field = useRef<HTMLInputElement>(null);
  // A number that another field brings along would take what is chosen here with it, and be typed on behind.
  useLayoutEffect(() => {
    if (typed === null && document.activeElement === field.current) field.current?.select();
  }, [typed, value]);
  const shown = String(value);
  const commit = () => {
    setTyped(null);
    if (typed === null) return;
    if (!typed.trim()) return refuseTyped(`${label} takes a number; nothing was typed. It stays ${value}.`);
    const number = numberIn(typed);
    if (number === null) return refuseTyped(`${label} takes a number; “${typed}” is none.`);
    if (number < min || number > max) return refuseTyped(`${label} goes from ${min} to ${max}${unit ? ` ${unit}` : ""}. It stays ${value}.`);
    takeTyped();
    onChange(number);
  };
  return (
    <label className="flex h-7 items-center gap-1.5" title={title}>
      <span className="shrink-0">{label}</span>
      <input
        ref={field}
        inputMode="decimal"
        value={typed ?? shown}
        onChange={(event) => setTyped(event.target.value)}
        onFocus={(event) => event.target.select()}
        onBlur={commit}
        onKeyDown={(event) => {
          // At once: Escape may close what the field lies in, and so leave it.
          if (event.key === "Escape") flushSync(() => setTyped(null));
          onEnter(event, commit);
        }}
        // A number of a tiny model has more digits than the narrowest field takes.
        style={shown.length > 5 ? { width: `calc(${0.95 * shown.length}ch + 0.75rem)` } : undefined}
        className="h-7 w-14 min-w-0 rounded-control bg-fog-2 px-1.5 text-right max-[1180px]:w-12 max-[1180px]:px-1"
      />
      {unit && <span className="shrink-0 text-ink-2">{unit}</span>}
    </label>
  );
}
