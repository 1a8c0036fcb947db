import { useId } from "react";

import { meant, placeOf, STEPS, valueAt } from "./slider_scale";
import { useSliding } from "./sliding";
import { betweenEnds } from "./typed";
import { TypedValue } from "./typed_value";

interface Props {
  label: string;
  value: number;
  min: number;
  max: number;
  /** How the value is written. */
  show: (value: number) => string;
  /** What a typed number means; else it is the value itself, or percent of it where those are shown. */
  read?: (typed: number) => number;
  onChange: (value: number) => void;
  /** Finer steps at the low end: position grows with the square root of the value. */
  fine?: boolean;
  disabled?: boolean;
  title?: string;
  /** The value has as much room as that of a slider with two handles. */
  wide?: boolean;
}

/** A labeled slider with its value beside it. */
export function Slider({ label, value, min, max, show, read, onChange, fine, disabled, title, wide }: Props) {
  const id = useId();
  const scale = { min, max, fine };
  const place = placeOf(value, scale);
  const { onPointerDown, slide } = useSliding(value, onChange);
  const take = (typed: number) => onChange(betweenEnds(label, meant(typed, show(value), read), min, max, show));
  return (
    <div className="flex h-7 items-center gap-2" title={title}>
      <label htmlFor={id} className={`min-w-[62px] shrink-0 whitespace-nowrap ${disabled ? "text-ink-2" : ""}`}>
        {label}
      </label>
      <input
        id={id}
        type="range"
        className="slider min-w-0 grow"
        style={{ "--share": `${place / (STEPS / 100)}%` } as React.CSSProperties}
        min={0}
        max={STEPS}
        value={place}
        disabled={disabled}
        aria-label={label}
        aria-valuetext={show(value)}
        onPointerDown={onPointerDown}
        onChange={(event) => slide(valueAt(event.target.valueAsNumber, scale))}
      />
      <output htmlFor={id} className={`${wide ? "w-14" : "w-11"} shrink-0 text-right text-ink-2`}>
        <TypedValue text={show(value)} disabled={disabled} onType={take} />
      </output>
    </div>
  );
}
