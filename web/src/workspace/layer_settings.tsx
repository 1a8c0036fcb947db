import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/react";
import { IconChevronDown, IconChevronRight, IconChevronUp, IconDots, IconTrash } from "@tabler/icons-react";

import { tooltip } from "../commands/commands";
import type { LayerState, SurfaceState } from "../state/document";
import { keepFinish } from "../api/rest";
import { openNodeCard } from "../state/cards";
import { removeMarked, stepped, together, useRows } from "../state/layers";
import { sayBriefly } from "../state/notices";
import type { Project } from "../state/project";
import { say, useSession } from "../state/session";
import { LaidSlider } from "./laid_slider";
import { MODES } from "./modes";
import { MapUses } from "./map_uses";
import { MaskSettings } from "./mask_settings";

const ICON = "grid size-7 shrink-0 place-items-center rounded-control text-ink-2 enabled:hover:bg-fog-3 disabled:opacity-40";

/** Opacity, blend mode, mask, maps, place and deletion of the chosen layer. */
export function LayerSettings({ surface, layer, project }: { surface: SurfaceState; layer: LayerState; project: Project }) {
  return (
    <div className="border-t border-fog-3 px-3 py-1.5">
      <LaidSlider
        label="Opacity" value={layer.opacity ?? 1} project={project}
        edit={(opacity) => ({ type: "change_node", node: layer.id, opacity })}
      />
      <div className="mt-0.5 flex items-center gap-0.5">
        <select
          aria-label="Blend mode"
          value={layer.blend}
          onChange={(event) => project.send({ type: "change_node", node: layer.id, blend: event.target.value as LayerState["blend"] })}
          className="mr-0.5 h-7 min-w-0 grow rounded-control bg-fog-2 px-2"
        >
          {MODES.map((mode) => (
            <option key={mode}>{mode}</option>
          ))}
        </select>
        <Move up project={project} />
        <Move up={false} project={project} />
        <MoreMenu surface={surface} layer={layer} project={project} />
        <button
          type="button" className={ICON} title="Delete; undo brings it back" aria-label="Delete layer"
          onClick={() => removeMarked(project, layer.id)}
        >
          <IconTrash size={16} stroke={1.7} />
        </button>
      </div>
      <MaskSettings layer={layer} project={project} />
      {(layer.kind === "wash" || layer.kind === "decals" || layer.kind === "adjustment" || layer.mask) && (
        <button type="button" onClick={openNodeCard} className="flex h-7 w-full items-center gap-1 text-left text-ink-2 hover:text-ink">
          <IconChevronRight size={14} />
          {layer.kind === "adjustment" ? "Its numbers" : layer.kind === "decals" ? "Its decals" : layer.kind === "wash" ? "Its values, pictures, meeting" : `Meets below: ${layer.mix ? "by height" : "plainly"}`}
        </button>
      )}
      <MapUses layer={layer} project={project} />
    </div>
  );
}

/** A step through the stack for the layers that are marked. */
function Move({ up, project }: { up: boolean; project: Project }) {
  useRows((rows) => rows.marked);
  useRows((rows) => rows.folded);
  const step = stepped(up);
  const Chevron = up ? IconChevronUp : IconChevronDown;
  return (
    <button
      type="button" className={ICON} title={tooltip(up ? "layerUp" : "layerDown")} aria-label={up ? "Move layer up" : "Move layer down"}
      disabled={!step} onClick={() => step && project.send({ type: "move_nodes", ...step })}
    >
      <Chevron size={16} />
    </button>
  );
}

/** What is done with layers less often. */
function MoreMenu({ surface, layer, project }: { surface: SurfaceState; layer: LayerState; project: Project }) {
  const surfaces = useSession((session) => session.state?.surfaces) ?? [];
  const others = surfaces.filter(({ id }) => id !== surface.id);
  const group = layer.kind === "group";
  useRows((rows) => rows.marked);
  const several = together(layer.id);
  const items: [string, () => void][] = [
    ["Duplicate", () => project.send({ type: "duplicate_nodes", nodes: together(layer.id), onto: null })],
    ["Put into a new group", () => project.send({ type: "group_nodes", nodes: together(layer.id) })],
    ...(group ? [["Keep as a finish", () => void keepFinish(project.id, layer.name, layer.id).then(({ name }) => sayBriefly(`${layer.name} is kept as a finish${name === layer.name ? "" : ` called ${name}`}, for all projects.`), (error: Error) => say(error.message))] as [string, () => void]] : []),
    ...(group ? [["Take the group apart", () => project.send({ type: "ungroup", node: layer.id })] as [string, () => void]] : []),
    ...(several.length > 1 ? [["Merge those marked", () => project.send({ type: "merge_nodes", nodes: several })] as [string, () => void]] : []),
    ...(layer.kind === "decals" ? [["Bake into a brushed layer", () => project.send({ type: "bake_decals", node: layer.id })] as [string, () => void]] : []),
    ["Merge into the one below", () => project.send({ type: "merge_down", node: layer.id })],
    ["Merge a copy of all that is seen", () => project.send({ type: "merge_seen", surface: surface.name, flat: false })],
    ["Flatten the surface", () => project.send({ type: "merge_seen", surface: surface.name, flat: true })],
    ...(layer.kind === "brushed" ? [[layer.alpha_locked ? "Let its alpha go" : "Keep its alpha", () => project.send({ type: "change_node", node: layer.id, alpha_locked: !layer.alpha_locked })] as [string, () => void]] : []),
    ["Show it alone, or all again", () => project.send({ type: "show_alone", node: layer.id })],
    [layer.locked ? "Unlock" : "Lock", () => project.send({ type: "change_node", node: layer.id, locked: !layer.locked })],
    ...(layer.kind === "brushed" ? [["Bump from color", () => project.send({ type: "bump_from_color", layer: layer.id })] as [string, () => void]] : []),
    ...others.map(({ name }): [string, () => void] => [`Copy to ${name}`, () => project.send({ type: "duplicate_nodes", nodes: together(layer.id), onto: name })]),
  ];
  return (
    <Menu>
      <MenuButton aria-label="What else for the layer" title="What else can be done with the layer" className="grid size-7 shrink-0 place-items-center rounded-control text-ink-2 hover:bg-fog-3">
        <IconDots size={16} />
      </MenuButton>
      <MenuItems anchor="bottom end" className="card z-20 max-h-96! w-60 p-1 outline-none [--anchor-padding:12px]">
        {items.map(([text, act]) => (
          <MenuItem key={text}>
            <button type="button" onClick={act} className="flex h-8 w-full items-center rounded-control px-2.5 text-left data-focus:bg-fog-2">
              <span className="truncate">{text}</span>
            </button>
          </MenuItem>
        ))}
      </MenuItems>
    </Menu>
  );
}
