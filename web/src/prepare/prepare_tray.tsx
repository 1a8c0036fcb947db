import { COMMANDS, tooltip } from "../commands/commands";
import type { Stage } from "../stage/stage";
import { type PrepareTool, setPreparing, useDesk } from "../state/desk";
import { type PickBy, usePicks } from "../state/picks";
import type { Project } from "../state/project";
import { Part } from "../ui/part";
import { Segmented } from "../ui/segmented";
import { IslandTools } from "./island_tools";
import { MapSettings } from "./map_settings";
import { UnwrapSettings } from "./unwrap_settings";

const EXTENTS: { value: PickBy; text: string; hint: string }[] = [
  { value: "face", text: "Face", hint: "Single polygons" },
  { value: "island", text: "Island", hint: "Whole UV islands" },
  { value: "piece", text: "Piece", hint: "All that is connected" },
  { value: "part", text: "Part", hint: "Whole parts of the model" },
  { value: "surface", text: "All", hint: "The whole surface" },
];

const TOOLS: { value: PrepareTool; text: string; hint: string }[] = [
  { value: "pick", text: COMMANDS.pick.label, hint: tooltip("pick") },
  { value: "edge", text: COMMANDS.seamEdge.label, hint: tooltip("seamEdge") },
  { value: "loop", text: COMMANDS.seamLoop.label, hint: tooltip("seamLoop") },
];

/** With what UVs are made: picks and seams, ways to unwrap, islands, maps. */
export function PrepareTray({ project, stage }: { project: Project; stage: Stage }) {
  return (
    <div className="card grid h-full overflow-x-auto overflow-y-hidden grid-cols-[290px_minmax(240px,1fr)_256px_minmax(350px,1.2fr)] max-[1180px]:grid-cols-[258px_240px_minmax(0,1fr)_268px] divide-x divide-fog-3">
      <PickPart project={project} stage={stage} />
      <UnwrapSettings project={project} stage={stage} />
      <IslandTools project={project} stage={stage} />
      <MapSettings project={project} />
    </div>
  );
}

function PickPart({ project, stage }: { project: Project; stage: Stage }) {
  const { by, tool } = useDesk((desk) => desk.preparing);
  const { count, polygons } = usePicks();
  const seams = usePicks((picks) => picks.mesh?.seams.length ?? 0);
  const button = "h-7 whitespace-nowrap rounded-control bg-fog-2 px-2.5 enabled:hover:bg-fog-3 disabled:opacity-45";
  return (
    <Part
      title={
        <span className="flex grow justify-between">
          {count ? `${polygons.toLocaleString("en")} ${polygons === 1 ? "face" : "faces"} picked` : "Pick and seams"}
          {count > 0 && (
            <span className="flex gap-3 font-medium text-ink">
              <button type="button" className="underline" title={tooltip("framePicked")} onClick={() => COMMANDS.framePicked.act({ project, stage })}>
                Frame
              </button>
              <button type="button" className="underline" title={tooltip("pickNothing")} onClick={() => COMMANDS.pickNothing.act()}>
                None
              </button>
            </span>
          )}
        </span>
      }
    >
      <div className="-ml-1">
        <Segmented label="Click" options={TOOLS} value={tool} onChange={(next) => setPreparing({ tool: next })} />
        <div className="mt-0.5">
          <Segmented label="Pick by" options={EXTENTS} value={by} onChange={(next) => setPreparing({ by: next, tool: "pick" })} />
        </div>
      </div>
      <div className="mt-1.5 flex gap-1.5">
        <button type="button" className={button} disabled={!count} title={tooltip("seamBorder")} onClick={() => COMMANDS.seamBorder.act({ project, stage })}>
          Seam at border
        </button>
        <button
          type="button"
          className={button}
          disabled={!seams}
          title="Take all seam marks away"
          onClick={() => project.send({ type: "clear_seams" })}
        >
          Clear seams
        </button>
      </div>
    </Part>
  );
}
