import { IconEye, IconEyeOff } from "@tabler/icons-react";
import { type KeyboardEvent, useState } from "react";

import type { LayerChange } from "../api/outgoing";
import type { LayerState } from "../state/document";

interface Props {
  layer: LayerState;
  chosen: boolean;
  onChoose: () => void;
  onChange: (part: LayerChange) => void;
  /** +1 is one up, -1 one down. */
  onMove: (up: number) => void;
  onDrag: () => void;
  onDrop: () => void;
}

/** One layer: click chooses it, double click renames it, dragging or Alt+arrows reorder it. */
export function LayerRow({ layer, chosen, onChoose, onChange, onMove, onDrag, onDrop }: Props) {
  const [naming, setNaming] = useState(false);
  const Eye = layer.visible ? IconEye : IconEyeOff;

  const pressed = (event: KeyboardEvent) => {
    if (event.altKey && event.key === "ArrowUp") onMove(1);
    else if (event.altKey && event.key === "ArrowDown") onMove(-1);
    else if (event.key === "F2") setNaming(true);
    else return;
    event.preventDefault();
  };
  const rename = (name: string) => {
    setNaming(false);
    if (name.trim() && name !== layer.name) onChange({ name: name.trim().slice(0, 80) });
  };

  return (
    <li
      draggable={!naming}
      onDragStart={onDrag}
      onDragOver={(event) => event.preventDefault()}
      onDrop={onDrop}
      className={`flex h-12 items-center border-b border-fog-3 pr-2 ${chosen ? "bg-accent-soft" : "hover:bg-fog-2"}`}
    >
      {naming ? (
        <input
          aria-label="Name of the layer"
          defaultValue={layer.name}
          maxLength={80}
          autoFocus
          onFocus={(event) => event.target.select()}
          onBlur={(event) => rename(event.target.value)}
          onKeyDown={(event) => {
            if (event.key === "Enter") event.currentTarget.blur();
            if (event.key === "Escape") setNaming(false);
          }}
          className="mx-3 h-8 min-w-0 grow rounded-control bg-fog px-2"
        />
      ) : (
        <button
          type="button"
          aria-pressed={chosen}
          title="Click: strokes go here. Double click or F2: rename. Alt+arrows: reorder."
          onClick={onChoose}
          onDoubleClick={() => setNaming(true)}
          onKeyDown={pressed}
          className={`h-full min-w-0 grow px-3.5 text-left focus-visible:-outline-offset-2 ${layer.visible ? "" : "opacity-55"}`}
        >
          <span className="block truncate font-semibold">{layer.name}</span>
          <span className="block truncate text-ink-2">
            {layer.blend === "normal" ? "Normal" : layer.blend} {Math.round(layer.opacity * 100)}%
          </span>
        </button>
      )}
      <button
        type="button"
        aria-pressed={layer.visible}
        aria-label={`${layer.visible ? "Hide" : "Show"} ${layer.name}`}
        title={layer.visible ? "Hide" : "Show"}
        onClick={() => onChange({ visible: !layer.visible })}
        className="grid size-8 shrink-0 place-items-center rounded-control text-ink-2 hover:bg-fog-3"
      >
        <Eye size={16} stroke={1.7} />
      </button>
    </li>
  );
}
