import { COMMANDS, tooltip } from "../commands/commands";
import { cornersAt } from "../stage/picked";
import type { Stage } from "../stage/stage";
import { type PickBy, type PrepareTool, setPreparing, useDesk } from "../state/desk";
import { usePicks } from "../state/picks";
import type { Project } from "../state/project";
import { Part } from "../ui/part";
import { useSession } from "../state/session";
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
  { value: "edge", text: "Seam", hint: tooltip("seamEdge") },
  { value: "loop", text: "Seam loop", hint: tooltip("seamLoop") },
  { value: "points", text: COMMANDS.points.label, hint: tooltip("points") },
];

const BUTTON = "h-7 whitespace-nowrap rounded-control bg-fog-2 px-2.5 enabled:hover:bg-fog-3 disabled:opacity-45";

/** With what UVs are made: picks and seams, ways to unwrap, islands, maps. */
export function PrepareTray({ project, stage }: { project: Project; stage: Stage }) {
  return (
    <div className="card grid h-full overflow-x-auto overflow-y-hidden grid-cols-[290px_minmax(240px,1fr)_256px_minmax(350px,1.2fr)] max-[1180px]:grid-cols-[258px_240px_minmax(200px,1fr)_268px] divide-x divide-fog-3">
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
  const points = usePicks((picks) => picks.points.size);
  const faces = count ? `${polygons.toLocaleString("en")} ${polygons === 1 ? "face" : "faces"} picked` : "Pick and seams";
  return (
    <Part
      title={
        <span className="flex grow justify-between">
          {tool === "points" && points ? "Points picked" : faces}
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
        <Segmented wraps label="Click" options={TOOLS} value={tool} onChange={(next) => setPreparing({ tool: next })} />
        <div className="mt-0.5">
          <Segmented label="Pick by" options={EXTENTS} value={by} onChange={(next) => setPreparing({ by: next, tool: "pick" })} />
        </div>
      </div>
      <div className="mt-1.5 flex gap-1.5">
        {tool === "points" ? (
          <LineUp project={project} stage={stage} />
        ) : (
          <SeamButtons project={project} stage={stage} />
        )}
      </div>
    </Part>
  );
}

function SeamButtons({ project, stage }: { project: Project; stage: Stage }) {
  const count = usePicks((picks) => picks.count);
  const seams = usePicks((picks) => picks.mesh?.seams.length ?? 0);
  return (
    <>
        <button type="button" className={BUTTON} disabled={!count} title={tooltip("seamBorder")} onClick={() => COMMANDS.seamBorder.act({ project, stage })}>
          Seam at border
        </button>
        <button
          type="button"
          className={BUTTON}
          disabled={!seams}
          title="Take all seam marks away"
          onClick={() => project.send({ type: "clear_seams" })}
        >
          Clear seams
        </button>
    </>
  );
}

/** The picked points onto one line of the map. */
function LineUp({ project, stage }: { project: Project; stage: Stage }) {
  const points = usePicks((picks) => picks.points);
  const state = useSession((session) => session.state);
  const { keepPaint: keep_paint } = useDesk((desk) => desk.preparing);
  const send = (axis: "across" | "down") => {
    const surface = state?.surfaces[stage.chosen];
    if (surface) project.send({ type: "line_up_points", surface: surface.name, points: cornersAt(stage, points), axis, keep_paint });
  };
  return (
    <>
      <button type="button" className={BUTTON} disabled={points.size < 2} title="The picked points onto one line from left to right" onClick={() => send("across")}>
        Line up across
      </button>
      <button type="button" className={BUTTON} disabled={points.size < 2} title="The picked points onto one line from top to bottom" onClick={() => send("down")}>
        Line up down
      </button>
    </>
  );
}
