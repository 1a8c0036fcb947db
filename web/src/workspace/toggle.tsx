interface Props {
  text: string;
  on: boolean;
  onChange: (on: boolean) => void;
  what: string;
}

/** A switch with a word on it. */
export function Toggle({ text, on, onChange, what }: Props) {
  return (
    <button
      type="button"
      aria-pressed={on}
      title={what}
      onClick={() => onChange(!on)}
      className={`h-7 grow rounded-control px-1.5 ${on ? "bg-accent-soft" : "bg-fog-2 text-ink-2 hover:bg-fog-3"}`}
    >
      {text}
    </button>
  );
}
