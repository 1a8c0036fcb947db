import { IconChevronDown, IconChevronUp, IconTrash } from "@tabler/icons-react";
import { useEffect, useState } from "react";

import { tooltip } from "../commands/commands";
import type { Project } from "../state/project";
import { surfaceNamed, useSession } from "../state/session";
import { useDesk } from "../state/desk";
import { Slider } from "../ui/slider";
import type { LayerState } from "../state/document";

export const MODES: LayerState["blend"][] = [
  "normal", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn", "hard-light",
  "soft-light", "difference", "exclusion", "add", "subtract", "hue", "saturation", "color", "luminosity",
];

/** Opacity, blend mode, place and deletion of the chosen layer. */
export function LayerSettings({ layer, project }: { layer: LayerState; project: Project }) {
  const [opacity, setOpacity] = useState<number | null>(null);
  const surface = surfaceNamed(useSession((session) => session.state), useDesk((desk) => desk.surface));
  const index = surface?.layers.findIndex(({ id }) => id === layer.id) ?? 0;

  // It shows while the slider moves, and is one undo step when it rests.
  useEffect(() => {
    if (opacity === null) return;
    const timer = setTimeout(() => {
      if (opacity !== layer.opacity) project.send({ type: "change_layer", layer: layer.id, opacity });
      setOpacity(null);
    }, 250);
    return () => clearTimeout(timer);
  }, [opacity, layer.id, layer.opacity, project]);

  const icon = "grid size-8 place-items-center rounded-control text-ink-2 enabled:hover:bg-fog-3 disabled:opacity-40";
  return (
    <div className="border-t border-fog-3 px-3.5 py-2">
      <Slider
        label="Opacity"
        value={opacity ?? layer.opacity}
        min={0}
        max={1}
        show={(value) => `${Math.round(value * 100)}%`}
        onChange={(next) => {
          setOpacity(next);
          project.send({ type: "show", edit: { type: "change_layer", layer: layer.id, opacity: next } });
        }}
      />
      <div className="mt-1 flex items-center gap-0.5">
        <select
          aria-label="Blend mode"
          value={layer.blend}
          onChange={(event) =>
            project.send({ type: "change_layer", layer: layer.id, blend: event.target.value as LayerState["blend"] })
          }
          className="mr-1 h-8 min-w-0 grow rounded-control bg-fog-2 px-2"
        >
          {MODES.map((mode) => (
            <option key={mode}>{mode}</option>
          ))}
        </select>
        <button
          type="button"
          className={icon}
          title={tooltip("layerUp")}
          aria-label="Move layer up"
          disabled={index + 1 >= (surface?.layers.length ?? 0)}
          onClick={() => project.send({ type: "move_layer", layer: layer.id, index: index + 1 })}
        >
          <IconChevronUp size={16} />
        </button>
        <button
          type="button"
          className={icon}
          title={tooltip("layerDown")}
          aria-label="Move layer down"
          disabled={index <= 0}
          onClick={() => project.send({ type: "move_layer", layer: layer.id, index: index - 1 })}
        >
          <IconChevronDown size={16} />
        </button>
        <button
          type="button"
          className={icon}
          title="Delete this layer; undo brings it back"
          aria-label="Delete layer"
          onClick={() => project.send({ type: "remove_layer", layer: layer.id })}
        >
          <IconTrash size={16} stroke={1.7} />
        </button>
      </div>
      <button
        type="button"
        className="mt-1.5 h-8 w-full rounded-control bg-fog-2 text-ink-2 hover:bg-fog-3 hover:text-ink"
        title="Where the layer has color, light tones stand out and dark ones lie deep; how deep is set under the lamp button"
        onClick={() => project.send({ type: "bump_from_color", layer: layer.id })}
      >
        Bump from color
      </button>
    </div>
  );
}
