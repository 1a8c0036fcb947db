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
  /** What the lightest touch of a pen leaves of the value, as a share; 1 where pressure does nothing. */
  least: number;
  show: (value: number) => string;
  onChange: (value: number) => void;
  onLeast: (least: number) => void;
  fine?: boolean;
  title?: string;
}

/** A labeled slider with two handles: the value at the fullest touch and, below the line, at the lightest. */
export function RangeSlider({ label, value, min, max, least, show, onChange, onLeast, fine, title }: Props) {
  const id = useId();
  const scale = { min, max, fine };
  const [full, light] = [placeOf(value, scale), placeOf(value * least, scale)];
  const [fullest, lightest] = [useSliding(value, onChange), useSliding(least, onLeast)];
  const presses = least < 1;
  const touch = presses ? `${show(value * least)} at the lightest touch of a pen, ${show(value)} at the fullest` : "A pen's pressure does not change it";
  const style = { "--share": `${full / (STEPS / 100)}%`, "--light": `${light / (STEPS / 100)}%` } as React.CSSProperties;
  return (
    <div className="flex h-7 items-center gap-2" title={title ? `${title}. ${touch}` : touch}>
      <label htmlFor={id} className="w-[62px] shrink-0">
        {label}
      </label>
      <span className="relative h-7 min-w-0 grow" style={style}>
        <input
          id={id} type="range" className="slider range absolute inset-0 w-full" min={0} max={STEPS} value={full}
          aria-label={label} aria-valuetext={show(value)}
          onPointerDown={fullest.onPointerDown}
          onChange={(event) => fullest.slide(valueAt(event.target.valueAsNumber, scale))}
        />
        <input
          type="range" className="light absolute inset-0 w-full" min={0} max={STEPS} value={light}
          aria-label={`${label} at the lightest touch`} aria-valuetext={show(value * least)}
          onPointerDown={lightest.onPointerDown}
          onChange={(event) => lightest.slide(Math.min(1, Math.max(0, valueAt(event.target.valueAsNumber, scale) / Math.max(value, 1e-9))))}
        />
      </span>
      <output htmlFor={id} className="w-14 shrink-0 text-right text-ink-2">
        <TypedValue text={show(value)} onType={(typed) => onChange(betweenEnds(label, meant(typed, show(value)), min, max, show))} />
      </output>
    </div>
  );
}
