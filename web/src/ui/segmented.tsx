interface Props<T extends string> {
  label: string;
  options: { value: T; text: string; hint?: string }[];
  value: T;
  onChange: (value: T) => void;
}

/** One choice of a few, side by side. */
export function Segmented<T extends string>({ label, options, value, onChange }: Props<T>) {
  return (
    <div role="radiogroup" aria-label={label} className="flex gap-1">
      {options.map((option) => (
        <button
          key={option.value}
          type="button"
          role="radio"
          aria-checked={option.value === value}
          title={option.hint}
          onClick={() => onChange(option.value)}
          className={`h-7 rounded-control ${options.length > 5 ? "px-2" : "px-2.5"} ${
            option.value === value ? "bg-accent-soft text-ink" : "text-ink-2 hover:bg-fog-2"
          }`}
        >
          {option.text}
        </button>
      ))}
    </div>
  );
}
