import { IconChevronRight } from "@tabler/icons-react";
import { useState } from "react";

import type { MapChange } from "../api/outgoing";
import type { ChangeNodeMap } from "../api/schema.generated";
import type { LayerState } from "../state/document";
import type { Project } from "../state/project";
import { percent } from "../ui/numbers";
import { betweenEnds } from "../ui/typed";
import { TypedValue } from "../ui/typed_value";
import { MODES } from "./modes";

const MAPS: [ChangeNodeMap["map"], string][] = [["base_color", "Color"], ["roughness", "Rough"], ["metallic", "Metal"], ["height", "Bump"], ["opacity", "Solid"]];
const COLOR_MODES = ["hue", "saturation", "color", "luminosity"];

/** Whether a layer gives each map anything, how much of its opacity, and in which mode. */
export function MapUses({ layer, project }: { layer: LayerState; project: Project }) {
  const given = MAPS.filter(([map]) => layer.maps?.[map]?.on !== false).map(([, name]) => name);
  const own = MAPS.some(([map]) => layer.maps?.[map]);
  const told = given.length < MAPS.length ? given.join(", ") || "none" : own ? "each its own way" : "all alike";
  const [open, setOpen] = useState(false);
  const change = (map: ChangeNodeMap["map"], part: MapChange) => project.send({ type: "change_node_map", node: layer.id, map, ...part });
  return (
    <div>
      <button type="button" aria-expanded={open} onClick={() => setOpen(!open)} className="flex h-7 w-full items-center gap-1 text-left text-ink-2">
        <IconChevronRight size={14} className={open ? "rotate-90" : ""} />
        <span className="truncate">Maps: {told}</span>
      </button>
      {open &&
        MAPS.map(([map, name]) => {
          const { on = true, opacity = 1, blend = null } = layer.maps?.[map] ?? {};
          return (
            <div key={map} className="flex h-7 items-center gap-1">
              <label className="flex w-[62px] shrink-0 items-center gap-1.5">
                <input
                  type="checkbox" checked={on} aria-label={`${layer.name} gives ${name.toLowerCase()}`} className="size-4 accent-accent"
                  onChange={(event) => change(map, { on: event.target.checked })}
                />
                {name}
              </label>
              <span className="w-12 shrink-0 text-right" title={`Share of the opacity for ${name.toLowerCase()}`}>
                <TypedValue text={percent(opacity)} disabled={!on} onType={(typed) => change(map, { opacity: betweenEnds(name, typed / 100, 0, 1, percent) })} />
              </span>
              <select
                aria-label={`Blend mode for ${name.toLowerCase()}`} value={blend ?? ""} disabled={!on}
                onChange={(event) => change(map, { blend: (event.target.value || null) as ChangeNodeMap["blend"] })}
                className="h-6 min-w-0 grow rounded-control bg-fog-2 px-1"
              >
                <option value="">the layer’s</option>
                {MODES.filter((mode) => map === "base_color" || !COLOR_MODES.includes(mode ?? "")).map((mode) => (
                  <option key={mode}>{mode}</option>
                ))}
              </select>
            </div>
          );
        })}
    </div>
  );
}
