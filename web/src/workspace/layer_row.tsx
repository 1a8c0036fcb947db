import { IconEye, IconEyeOff } from "@tabler/icons-react";

import { COMMANDS, tooltip } from "../commands/commands";
import { startNaming, useNaming } from "../state/layers";
import type { LayerChange } from "../api/outgoing";
import type { LayerState } from "../state/document";
import { NameField } from "../ui/named";

interface Props {
  layer: LayerState;
  chosen: boolean;
  onChoose: () => void;
  onChange: (part: LayerChange) => void;
  onDrag: () => void;
  onDrop: () => void;
}

/** One layer: click chooses it, double click renames it, dragging reorders it. */
export function LayerRow({ layer, chosen, onChoose, onChange, onDrag, onDrop }: Props) {
  const naming = useNaming(({ layer: named }) => named === layer.id);
  const Eye = layer.visible ? IconEye : IconEyeOff;

  return (
    <li
      draggable={!naming}
      onDragStart={onDrag}
      onDragOver={(event) => event.preventDefault()}
      onDrop={onDrop}
      className={`flex h-12 items-center border-b border-fog-3 pr-2 ${chosen ? "bg-accent-soft" : "hover:bg-fog-2"}`}
    >
      {naming ? (
        <div className="mx-3 flex min-w-0 grow">
          <NameField name={layer.name} of="the layer" onRename={(name) => onChange({ name })} onDone={() => startNaming(null)} />
        </div>
      ) : (
        <button
          type="button"
          aria-pressed={chosen}
          title={`Strokes go here. Double click or ${COMMANDS.renameLayer.keys[0]} renames; drag, ${tooltip("layerUp")}, ${tooltip("layerDown")}`}
          onClick={onChoose}
          onDoubleClick={() => startNaming(layer.id)}
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
