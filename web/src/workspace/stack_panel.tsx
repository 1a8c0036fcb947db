import { IconPlus } from "@tabler/icons-react";
import { useState } from "react";

import { tooltip } from "../commands/commands";
import { useDesk } from "../state/desk";
import type { Project } from "../state/project";
import { surfaceNamed, useSession } from "../state/session";
import { LayerRow } from "./layer_row";
import { LayerSettings } from "./layer_settings";
import { SurfaceChoice } from "./surface_choice";
import type { LayerState } from "../state/document";

/** What is painted: the surfaces, and the chosen one's stack, topmost layer first as it lies. */
export function StackPanel({ project }: { project: Project }) {
  const state = useSession((session) => session.state);
  const chosen = useDesk((desk) => desk.surface);
  const targets = useDesk((desk) => desk.layers);
  const [dragged, setDragged] = useState<string | null>(null);
  const surface = surfaceNamed(state, chosen);
  if (!state || !surface) return null;
  const stack = [...surface.layers].reverse();
  const target = stack.find((layer) => layer.id === targets[surface.name]);

  const dropOn = (layer: LayerState) => {
    const index = surface.layers.findIndex(({ id }) => id === layer.id);
    if (dragged && dragged !== layer.id) project.send({ type: "move_layer", layer: dragged, index });
    setDragged(null);
  };

  return (
    <section aria-label="Stack" className="card flex h-full flex-col overflow-hidden">
      <SurfaceChoice project={project} />
      <ul aria-label={`Layers of ${surface.name}`} className="min-h-0 grow overflow-y-auto border-t border-fog-3">
        {stack.map((layer) => (
          <LayerRow
            key={layer.id}
            layer={layer}
            chosen={layer.id === target?.id}
            onChoose={() => project.choose(layer.id)}
            onChange={(part) => project.send({ type: "change_layer", layer: layer.id, ...part })}
            onDrag={() => setDragged(layer.id)}
            onDrop={() => dropOn(layer)}
          />
        ))}
        {!stack.length && <li className="p-4 text-ink-2">No layers yet. Add one to paint on {surface.name}.</li>}
      </ul>
      {target && <LayerSettings key={target.id} layer={target} project={project} />}
      <div className="border-t border-fog-3 p-2">
        <button
          type="button"
          onClick={() => project.send({ type: "add_layer", surface: surface.name, above: target?.id ?? null })}
          title={tooltip("addLayer")}
          className="flex h-8 w-full items-center justify-center gap-1.5 rounded-control bg-fog-2 hover:bg-fog-3"
        >
          <IconPlus size={15} stroke={1.8} />
          Brushed layer
        </button>
      </div>
    </section>
  );
}
