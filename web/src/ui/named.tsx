import { IconPencil } from "@tabler/icons-react";
import { useState } from "react";

interface Props {
  name: string;
  /** What it is the name of. */
  of: string;
  onRename: (name: string) => void;
  className?: string;
}

/** A name with a pencil beside it; the pencil or a double click lets one type another, Escape keeps the old one. */
export function Named({ name, of, onRename, className = "" }: Props) {
  const [typing, setTyping] = useState(false);
  if (typing) return <NameField name={name} of={of} onRename={onRename} onDone={() => setTyping(false)} />;
  return (
    <span className="group flex min-w-0 items-center gap-1">
      <span className={`truncate ${className}`} title="Double click renames" onDoubleClick={() => setTyping(true)}>
        {name}
      </span>
      <span className="opacity-0 group-hover:opacity-100 focus-within:opacity-100">
        <RenameButton of={of} onClick={() => setTyping(true)} />
      </span>
    </span>
  );
}

export function RenameButton({ of, onClick }: { of: string; onClick: () => void }) {
  return (
    <button
      type="button"
      aria-label={`Rename ${of}`}
      title={`Rename ${of}`}
      onClick={onClick}
      className="grid size-7 shrink-0 place-items-center rounded-control text-ink-2 hover:bg-fog-3"
    >
      <IconPencil size={15} stroke={1.7} />
    </button>
  );
}

/** Where a name is typed; it counts when the field is left or Enter is pressed. */
export function NameField({ name, of, onRename, onDone }: Props & { onDone: () => void }) {
  const take = (typed: string) => {
    onDone();
    if (typed.trim() && typed.trim() !== name) onRename(typed.trim().slice(0, 80));
  };
  return (
    <input
      aria-label={`Name of ${of}`}
      defaultValue={name}
      maxLength={80}
      autoFocus
      onFocus={(event) => {
        // A tree around it would hand the focus to the row that had it last.
        event.stopPropagation();
        event.target.select();
      }}
      onBlur={(event) => take(event.target.value)}
      onKeyDown={(event) => {
        if (event.key === "Enter") event.currentTarget.blur();
        if (event.key === "Escape") onDone();
        event.stopPropagation();
      }}
      className="h-7 min-w-0 grow rounded-control bg-fog-2 px-2"
    />
  );
}
