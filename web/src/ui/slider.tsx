import { useId } from "react";

interface Props {
  label: string;
  value: number;
  min: number;
  max: number;
  /** How the value is written, and what typed text means. */
  show: (value: number) => string;
  onChange: (value: number) => void;
  /** Finer steps at the low end: position grows with the square root of the value. */
  fine?: boolean;
  disabled?: boolean;
  title?: string;
  ends?: [string, string];
}

const STEPS = 1000;

/** A labeled slider with its value beside it. */
export function Slider({ label, value, min, max, show, onChange, fine, disabled, title, ends }: Props) {
  const id = useId();
  const share = (value - min) / (max - min);
  const place = Math.round(STEPS * (fine ? Math.sqrt(Math.max(share, 0)) : share));
  const change = (at: number) => onChange(min + (max - min) * (fine ? (at / STEPS) ** 2 : at / STEPS));
  return (
    <div className="flex h-7 items-center gap-2" title={title}>
      <label htmlFor={id} className={`w-[62px] shrink-0 ${disabled ? "text-ink-2" : ""}`}>
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
        aria-valuetext={show(value)}
        title={ends ? `${ends[0]} … ${ends[1]}` : title}
        onChange={(event) => change(event.target.valueAsNumber)}
      />
      <output htmlFor={id} className="w-11 shrink-0 text-right text-ink-2">
        {show(value)}
      </output>
    </div>
  );
}
