import { useDesk } from "../state/desk";
import { usePicks } from "../state/picks";
import type { Project } from "../state/project";
import { surfaceNamed, useSession } from "../state/session";
import { Part } from "../ui/part";
import { AssignFaces } from "./assign_faces";
import { MapSize } from "./map_size";
import { Planner } from "./planner";
import { ReplaceModel } from "./replace_model";
import type { SurfaceState } from "../state/document";

/** Bytes a texel of each map takes at 8 bits. */
const BYTES = { "base color": 3, roughness: 1, metallic: 1, height: 1, normal: 3 };

/** How large a surface's maps are, for which UVs, and what they begin with. */
export function MapSettings({ project }: { project: Project }) {
  const state = useSession((session) => session.state);
  const surface = surfaceNamed(state, useDesk((desk) => desk.surface));
  const uvSets = usePicks((picks) => picks.mesh?.uvSets ?? 1);
  if (!state || !surface) return null;
  const sets = Array.from({ length: uvSets }, (_, set) => set);
  // Smaller copies for the distance take a third more.
  const megabytes = (bytes: number, width = surface.width, height = surface.height) =>
    ((width * height * bytes * 4) / 3 / 2 ** 20).toFixed(1);
  const costs = Object.entries(BYTES).map(([map, bytes]) => `${map} ${megabytes(bytes)} MB`);
  const all = Object.values(BYTES).reduce((sum, bytes) => sum + bytes, 0);
  return (
    <Part title={<span title={costs.join(", ")}>{`Maps of ${surface.name}, ${megabytes(all)} MB`}</span>}>
      <div className="flex h-7 items-center gap-1.5">
        <MapSize project={project} state={state} surface={surface} megabytes={(width, height) => megabytes(all, width, height)} />
        <label className="flex items-center gap-1.5" title="Which UVs of the model the maps are made for; exported with them">
          <span className="whitespace-nowrap">UV set</span>
          <select
            value={surface.uv_set}
            disabled={uvSets < 2}
            onChange={({ target: { value } }) =>
              project.send({
                type: "choose_uv_set", surface: value.startsWith("all") ? null : surface.name, uv_set: Number(value.replace("all", "")),
                keep_paint: useDesk.getState().preparing.keepPaint,
              }) // prettier-ignore
            }
            className="h-7 w-12 rounded-control bg-fog-2 px-1.5"
          >
            {sets.map((set) => (
              <option key={set} value={set}>
                {set}
              </option>
            ))}
            <optgroup label="All surfaces">
              {sets.map((set) => (
                <option key={set} value={`all${set}`}>
                  {set} for all
                </option>
              ))}
            </optgroup>
          </select>
        </label>
        {surface.own_size && <span className="truncate text-ink-2">a size of its own</span>}
      </div>
      <div className="mt-0.5 flex h-7 items-center gap-1.5">
        <StartValues key={surface.name} project={project} surface={surface} />
      </div>
      <div className="mt-1 flex flex-wrap gap-1">
        <Planner project={project} />
        <AssignFaces project={project} />
        <ReplaceModel project={project} />
      </div>
    </Part>
  );
}

const hex = (color: number[]) =>
  `#${color.map((channel) => Math.round(channel * 255).toString(16).padStart(2, "0")).join("")}`;

/** What shows where nothing is painted. */
function StartValues({ project, surface }: { project: Project; surface: SurfaceState }) {
  const { start } = surface;
  const set = (part: Partial<SurfaceState["start"]>) =>
    project.send({ type: "set_start", surface: surface.name, start: { ...start, ...part } });
  const share = (label: string, title: string, value: number, change: (value: number) => void) => (
    <label className="flex items-center gap-1" title={title}>
      {label}
      <input
        key={value}
        type="number" min={0} max={1} step={0.05} defaultValue={Number(value.toFixed(3))}
        onBlur={(event) => event.target.valueAsNumber !== Number(value.toFixed(3)) && change(Math.min(1, Math.max(0, event.target.valueAsNumber || 0)))}
        onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
        className="h-7 w-14 rounded-control bg-fog-2 px-1 max-[1180px]:w-[50px]"
      />
    </label>
  );
  return (
    <>
      <label className="flex items-center gap-1.5" title="The color that shows where nothing is painted">
        Start
        <input
          key={hex(start.base_color)}
          type="color"
          aria-label="Start color"
          defaultValue={hex(start.base_color)}
          onBlur={(event) => event.target.value !== hex(start.base_color) && set({ base_color: channels(event.target.value) })}
          className="color-well size-6"
        />
      </label>
      {share("rough", "0 is shiny, 1 is rough", start.roughness, (roughness) => set({ roughness }))}
      {share("metal", "0 is no metal, 1 is bare metal", start.metallic, (metallic) => set({ metallic }))}
    </>
  );
}

const channels = (color: string): [number, number, number] =>
  [1, 3, 5].map((at) => parseInt(color.slice(at, at + 2), 16) / 255) as [number, number, number];
