import type { Stage } from "../stage/stage";
import { type PrepareTool, setPreparing, useDesk } from "../state/desk";
import { pick, type PickBy, pickedRuns, usePicks } from "../state/picks";
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
  { value: "pick", text: "Pick", hint: "Click or drag picks faces; Shift adds, Ctrl takes away (V)" },
  { value: "edge", text: "Seam edge", hint: "Click marks an edge as seam; Ctrl clears it (S)" },
  { value: "loop", text: "Seam loop", hint: "Click marks a whole loop of edges; Ctrl clears it (L)" },
];

/** With what UVs are made: picks and seams, ways to unwrap, islands, maps. */
export function PrepareTray({ project, stage }: { project: Project; stage: Stage }) {
  return (
    <div className="card grid h-full grid-cols-[290px_minmax(240px,1fr)_256px_minmax(350px,1.2fr)] divide-x divide-fog-3">
      <PickPart project={project} />
      <UnwrapSettings project={project} stage={stage} />
      <IslandTools project={project} stage={stage} />
      <MapSettings project={project} />
    </div>
  );
}

function PickPart({ project }: { project: Project }) {
  const { by, tool } = useDesk((desk) => desk.preparing);
  const count = usePicks((picks) => picks.count);
  const seams = usePicks((picks) => picks.mesh?.seams.length ?? 0);
  const border = () => {
    const faces = pickedRuns();
    if (faces) project.send({ type: "mark_border", faces, marked: true });
  };
  const button = "h-7 whitespace-nowrap rounded-control bg-fog-2 px-2.5 enabled:hover:bg-fog-3 disabled:opacity-45";
  return (
    <Part title={count ? `${count.toLocaleString("en")} faces picked` : "Pick and seams"}>
      <div className="-ml-1">
        <Segmented label="Click" options={TOOLS} value={tool} onChange={(next) => setPreparing({ tool: next })} />
        <div className="mt-0.5">
          <Segmented label="Pick by" options={EXTENTS} value={by} onChange={(next) => setPreparing({ by: next, tool: "pick" })} />
        </div>
      </div>
      <div className="mt-1.5 flex gap-1.5">
        <button type="button" className={button} disabled={!count} title="Pick nothing (Escape)" onClick={() => pick([], "replace")}>
          None
        </button>
        <button type="button" className={button} disabled={!count} title="Mark the border of the picked faces as seam (B)" onClick={border}>
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
