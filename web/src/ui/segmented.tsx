import { Radio, RadioGroup } from "@headlessui/react";

interface Props<T extends string> {
  label: string;
  options: { value: T; text: string; hint?: string }[];
  /** One that is not among the options leaves all of them off. */
  value: T;
  onChange: (value: T) => void;
  /** In more rows than one where there is no room; what is longer than a row is cut off. */
  wraps?: boolean;
}

/** One choice of a few, side by side; arrow keys move it. */
export function Segmented<T extends string>({ label, options, value, onChange, wraps }: Props<T>) {
  return (
    <RadioGroup aria-label={label} value={value} onChange={onChange} className={`flex gap-x-1 ${wraps ? "flex-wrap" : ""}`}>
      {options.map((option) => (
        <Radio
          key={option.value}
          value={option.value}
          title={option.hint}
          className={`grid h-7 cursor-pointer place-items-center whitespace-nowrap rounded-control ${wraps ? "min-w-0" : ""} ${options.length > 4 ? "px-2" : "px-2.5"} ${
            option.value === value ? "bg-accent-soft text-ink" : "text-ink-2 hover:bg-fog-2"
          }`}
        >
          <span className={wraps ? "max-w-full truncate" : ""}>{option.text}</span>
        </Radio>
      ))}
    </RadioGroup>
  );
}
