import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import {
  IconChevronDown, IconFlipHorizontal, IconFlipVertical,
  IconLayoutAlignBottom, IconLayoutAlignCenter, IconLayoutAlignLeft, IconLayoutAlignMiddle, IconLayoutAlignRight,
  IconLayoutAlignTop, IconRotate2, IconRotateClockwise2,
} from "@tabler/icons-react"; // prettier-ignore

import { COMMANDS, tooltip } from "../commands/commands";
import type { Arrange } from "../api/schema.generated";
import { useDesk } from "../state/desk";
import { pickedDensity } from "../stage/picked";
import type { Stage } from "../stage/stage";
import { pickedRuns, usePicks } from "../state/picks";
import type { Project } from "../state/project";
import { surfaceNamed, useSession } from "../state/session";
import { IslandNumbers } from "./island_numbers";
import { short } from "../workspace/figures";
import { Part } from "../ui/part";
import { NumberField } from "../ui/number_field";

interface Tool {
  how: Arrange["how"];
  name: string;
  text?: string;
  Icon?: typeof IconRotate2;
}

const TOOLS: Tool[] = [
  { how: "fit", name: "Fit", text: "Fit inside the map" },
  { how: "enlarge", name: "Enlarge", text: "All together as large as the map takes" },
  { how: "upright", name: "Upright", text: "Up on the model is up in the map" },
  { how: "stack", name: "Stack", text: "Onto each other, to share texels on purpose" },
];

const MORE: Tool[] = [
  { how: "quarter_left", name: "Turn left by 90°", Icon: IconRotate2 },
  { how: "quarter_right", name: "Turn right by 90°", Icon: IconRotateClockwise2 },
  { how: "mirror_across", name: "Mirror left and right", Icon: IconFlipVertical },
  { how: "mirror_down", name: "Mirror up and down", Icon: IconFlipHorizontal },
  { how: "align_left", name: "Align left", Icon: IconLayoutAlignLeft },
  { how: "align_top", name: "Align top", Icon: IconLayoutAlignTop },
  { how: "align_center", name: "Align centers across", Icon: IconLayoutAlignCenter },
  { how: "align_middle", name: "Align middles down", Icon: IconLayoutAlignMiddle },
  { how: "align_right", name: "Align right", Icon: IconLayoutAlignRight },
  { how: "align_bottom", name: "Align bottom", Icon: IconLayoutAlignBottom },
];

/** What whole islands can be told: the picked ones, or all. */
export function IslandTools({ project, stage }: { project: Project; stage: Stage }) {
  // Other picks and another model have another density.
  usePicks();
  const state = useSession((session) => session.state);
  const surface = surfaceNamed(state, useDesk((desk) => desk.surface));
  const { keepPaint: keep_paint, margin } = useDesk((desk) => desk.preparing);
  if (!state || !surface) return null;
  const index = state.surfaces.indexOf(surface);
  const density = pickedDensity(stage);
  const target = () => ({ surface: surface.name, faces: pickedRuns(index), keep_paint });
  const button = "flex h-7 items-center gap-1 rounded-control bg-fog-2 px-2 hover:bg-fog-3";
  const tool = ({ how, name, text, Icon }: Tool) => (
    <button key={how} type="button" className={button} title={text ?? name} onClick={() => project.send({ type: "arrange", how, margin, ...target() })}>
      {Icon && <Icon size={16} stroke={1.6} className="shrink-0" />}
      {name}
    </button>
  );
  return (
    <Part title="Islands">
      <div className="flex flex-wrap gap-1" role="group" aria-label="Arrange islands">
        <button type="button" className={button} title={tooltip("pack")} onClick={() => COMMANDS.pack.act({ project, stage })}>
          Pack
        </button>
        {TOOLS.map(tool)}
        <Popover className="relative">
          <PopoverButton title="Turn, mirror and align the picked islands, or all" className={button}>
            Turn, align
            <IconChevronDown size={14} />
          </PopoverButton>
          <PopoverPanel role="region" aria-label="More arrangements" anchor="top start" className="card z-20 grid w-[360px] grid-cols-2 gap-1 p-2 shadow-lg [--anchor-gap:8px]">
            {MORE.map(tool)}
          </PopoverPanel>
        </Popover>
        <IslandNumbers project={project} stage={stage} surface={surface} index={index} />
      </div>
      <div className="mt-1 flex items-center gap-1.5">
        <NumberField
          label="Density" value={short(density)} min={1e-6} max={1e9} unit="px / unit"
          title="Texels per model unit; a number sets it for the picked islands, or all of the surface"
          onChange={(wanted) => project.send({ type: "set_density", density: wanted, ...target() })}
        />
        <button
          type="button" title="Give the islands of all surfaces this density" disabled={density <= 0}
          className="ml-auto h-7 shrink-0 whitespace-nowrap rounded-control bg-fog-2 px-2 hover:bg-fog-3 disabled:opacity-40"
          onClick={() => project.send({ type: "set_density", surface: null, faces: null, density, keep_paint })}
        >
          To all
        </button>
      </div>
    </Part>
  );
}
