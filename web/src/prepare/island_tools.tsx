import {
  IconArrowAutofitContent, IconArrowBarToUp, IconBoxMultiple, IconFlipHorizontal, IconFlipVertical,
  IconLayoutAlignBottom, IconLayoutAlignCenter, IconLayoutAlignLeft, IconLayoutAlignMiddle, IconLayoutAlignRight,
  IconLayoutAlignTop, IconLayoutDashboard, IconRotate2, IconRotateClockwise2,
} from "@tabler/icons-react"; // prettier-ignore

import { COMMANDS, tooltip } from "../commands/commands";
import type { Arrange } from "../api/schema.generated";
import { useDesk } from "../state/desk";
import type { Stage } from "../stage/stage";
import { pickedRuns, usePicks } from "../state/picks";
import type { Project } from "../state/project";
import { surfaceNamed, useSession } from "../state/session";
import { IslandNumbers } from "./island_numbers";
import { Part } from "../ui/part";
import { NumberField } from "../ui/number_field";

const TOOLS: { how: Arrange["how"]; text: string; Icon: typeof IconRotate2 }[] = [
  { how: "fit", text: "Fit inside the map", Icon: IconArrowAutofitContent },
  { how: "upright", text: "Upright: up on the model is up in the map", Icon: IconArrowBarToUp },
  { how: "quarter_left", text: "Turn left by 90°", Icon: IconRotate2 },
  { how: "quarter_right", text: "Turn right by 90°", Icon: IconRotateClockwise2 },
  { how: "mirror_across", text: "Mirror left and right", Icon: IconFlipVertical },
  { how: "mirror_down", text: "Mirror up and down", Icon: IconFlipHorizontal },
  { how: "stack", text: "Stack onto each other, to share texels on purpose", Icon: IconBoxMultiple },
  { how: "align_left", text: "Align left", Icon: IconLayoutAlignLeft },
  { how: "align_center", text: "Align centers across", Icon: IconLayoutAlignCenter },
  { how: "align_right", text: "Align right", Icon: IconLayoutAlignRight },
  { how: "align_top", text: "Align top", Icon: IconLayoutAlignTop },
  { how: "align_middle", text: "Align middles down", Icon: IconLayoutAlignMiddle },
  { how: "align_bottom", text: "Align bottom", Icon: IconLayoutAlignBottom },
];

/** What whole islands can be told: the picked ones, or all. */
export function IslandTools({ project, stage }: { project: Project; stage: Stage }) {
  // Other picks and another model have another density.
  usePicks();
  const state = useSession((session) => session.state);
  const surface = surfaceNamed(state, useDesk((desk) => desk.surface));
  const { keepPaint: keep_paint } = useDesk((desk) => desk.preparing);
  if (!state || !surface) return null;
  const index = state.surfaces.indexOf(surface);
  const density = Math.round(stage.density() * 10) / 10;
  const target = () => ({ surface: surface.name, faces: pickedRuns(index), keep_paint });
  const icon = "grid size-7 place-items-center rounded-control bg-fog-2 hover:bg-fog-3";
  return (
    <Part title="Islands">
      <div className="flex flex-wrap gap-x-1 gap-y-px" role="group" aria-label="Arrange islands">
        <button
          type="button" className={icon} aria-label="Pack" title={tooltip("pack")}
          onClick={() => COMMANDS.pack.act({ project, stage })}
        >
          <IconLayoutDashboard size={17} stroke={1.6} />
        </button>
        {TOOLS.map(({ how, text, Icon }) => (
          <button key={how} type="button" className={icon} aria-label={text} title={text} onClick={() => project.send({ type: "arrange", how, ...target() })}>
            <Icon size={17} stroke={1.6} />
          </button>
        ))}
      </div>
      <div className="mt-px flex items-center gap-1.5">
        <NumberField
          label="Density" value={density} min={0.01} max={1e6} unit="px / unit"
          title="Texels per model unit; a number sets it for the picked islands, or all of the surface"
          onChange={(wanted) => project.send({ type: "set_density", density: wanted, ...target() })}
        />
        <button
          type="button" title="Give the islands of all surfaces this density"
          className="ml-auto h-7 rounded-control bg-fog-2 px-2.5 hover:bg-fog-3"
          onClick={() => project.send({ type: "set_density", surface: null, faces: null, density, keep_paint })}
        >
          To all
        </button>
      </div>
      <div className="mt-px flex">
        <IslandNumbers project={project} stage={stage} surface={surface} index={index} />
      </div>
    </Part>
  );
}
