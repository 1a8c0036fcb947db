import { IconAdjustmentsHorizontal, IconFolderPlus, IconPlus, IconSticker, IconTexture } from "@tabler/icons-react";

import { tooltip } from "../commands/commands";
import { toggleFinishes } from "../state/cards";
import { useDesk } from "../state/desk";
import { takeDropped } from "../state/dropped";
import { together, useRows } from "../state/layers";
import { layAsWash } from "../state/pictures";
import type { Project } from "../state/project";
import { surfaceNamed, useSession } from "../state/session";
import { LayerSettings } from "./layer_settings";
import { RegionsPart } from "./regions_part";
import { StackTree } from "./stack_tree";
import { SurfaceChoice } from "./surface_choice";

/** What is painted: the surfaces, the chosen one's stack, and the regions that paint is kept in. */
export function StackPanel({ project }: { project: Project }) {
  const state = useSession((session) => session.state);
  const chosen = useDesk((desk) => desk.surface);
  const targets = useDesk((desk) => desk.layers);
  const surface = surfaceNamed(state, chosen);
  const pigment = useDesk((desk) => desk.pigment);
  useRows((rows) => rows.marked);
  if (!state || !surface) return null;
  const target = surface.layers.find((layer) => layer.id === targets[surface.name]);
  const above = target?.id ?? null;
  const add = (kind: "brushed" | "group" | "wash" | "decals") =>
    project.send({ type: "add_node", surface: surface.name, kind, above, ...(kind === "wash" && { pigment }) });
  const adjust = () => project.send({ type: "add_node", surface: surface.name, kind: "adjustment", above, effect: "levels" });
  const marked = target ? together(target.id) : [];
  const several = marked.length > 1;
  const group = () => (several ? project.send({ type: "group_nodes", nodes: marked }) : add("group"));
  const button = "flex h-7 grow items-center justify-center gap-1.5 rounded-control bg-fog-2 hover:bg-fog-3";
  return (
    <section
      aria-label="Stack"
      className="card flex h-full flex-col overflow-hidden"
      onDrop={(event) => {
        if (event.defaultPrevented || !event.dataTransfer.files.length) return;
        event.preventDefault();
        takeDropped(event.dataTransfer, (files) => layAsWash(project, files));
      }}
    >
      <SurfaceChoice project={project} />
      <StackTree surface={surface} project={project} />
      <div className="flex gap-1 border-t border-fog-3 px-2 py-1.5">
        <button type="button" onClick={() => add("brushed")} title={tooltip("addLayer")} className={button}>
          <IconPlus size={15} stroke={1.8} />
          Layer
        </button>
        <button type="button" onClick={() => add("wash")} title="Add a wash: values or pictures over everything, or over its mask" className={button}>
          Wash
        </button>
        <button type="button" onClick={() => add("decals")} title="Add a layer of decals: pictures laid on the surface, that stay where they are and can be moved" aria-label="Add decals" className={`${button} max-w-10`}>
          <IconSticker size={16} stroke={1.6} />
        </button>
        <button type="button" onClick={adjust} title="Add an adjustment: changes what lies below, and stays changeable" aria-label="Add an adjustment" className={`${button} max-w-10`}>
          <IconAdjustmentsHorizontal size={16} stroke={1.6} />
        </button>
        <button type="button" onClick={toggleFinishes} title="Finishes: materials to be dragged onto the model" aria-label="Finishes" className={`${button} max-w-10`}>
          <IconTexture size={16} stroke={1.6} />
        </button>
        <button type="button" onClick={group} title={several ? tooltip("addGroup") : "Add an empty group above the chosen layer"} aria-label="Add a group" className={`${button} max-w-10`}>
          <IconFolderPlus size={16} stroke={1.6} />
        </button>
      </div>
      <div className="min-h-0 shrink overflow-y-auto [scrollbar-width:thin]">
        {target && <LayerSettings key={target.id} surface={surface} layer={target} project={project} />}
        <RegionsPart project={project} />
      </div>
    </section>
  );
}
