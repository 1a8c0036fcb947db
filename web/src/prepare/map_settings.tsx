import { useDesk } from "../state/desk";
import { usePicks } from "../state/picks";
import type { Project } from "../state/project";
import { surfaceNamed, useSession } from "../state/session";
import { NumberField } from "../ui/number_field";
import { Part } from "../ui/part";
import { AssignFaces } from "./assign_faces";
import { inWords, MAP_BYTES } from "./map_bytes";
import { MapSize } from "./map_size";
import { Planner } from "./planner";
import { ReplaceModel } from "./replace_model";
import { StartValues } from "./start_values";
import type { SurfaceState } from "../state/document";

/** How large a surface's maps are, for which UVs, and what they begin with. */
export function MapSettings({ project }: { project: Project }) {
  const state = useSession((session) => session.state);
  const surface = surfaceNamed(state, useDesk((desk) => desk.surface));
  const uvSets = usePicks((picks) => picks.mesh?.uvSets ?? 1);
  if (!state || !surface) return null;
  const sets = Array.from({ length: uvSets }, (_, set) => set);
  // Smaller copies for the distance take a third more.
  const taken = (bytes: number, width = surface.width, height = surface.height, surfaces = 1) =>
    inWords((width * height * surfaces * bytes * 4) / 3);
  const costs = Object.entries(MAP_BYTES).map(([map, bytes]) => `${map} ${taken(bytes)}`);
  const all = Object.values(MAP_BYTES).reduce((sum, bytes) => sum + bytes, 0);
  return (
    <Part
      title={
        <span title={`8 bits a channel: ${costs.join(", ")}`} className="flex min-w-0">
          <span className="truncate">Maps of {surface.name}</span>
          <span className="shrink-0">, {taken(all)}</span>
        </span>
      }
    >
      <div className="flex h-7 items-center gap-1.5">
        <MapSize project={project} state={state} surface={surface} memory={(...size) => taken(all, ...size)} />
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
        {state.surfaces.length > 1 && <span className="truncate text-ink-2">{surface.own_size ? "a size of its own" : "the project's size"}</span>}
      </div>
      <div className="mt-0.5 flex flex-wrap items-center gap-x-1.5">
        <StartValues key={surface.id} project={project} surface={surface} />
        <SharpEdges project={project} surface={surface} />
      </div>
      <div className="mt-1 flex flex-wrap gap-1">
        <Planner project={project} />
        <AssignFaces project={project} />
        <ReplaceModel project={project} />
      </div>
    </Part>
  );
}

/** From which angle on edges look sharp; the paint is the same. */
function SharpEdges({ project, surface }: { project: Project; surface: SurfaceState }) {
  const { crease } = surface;
  const set = (angle: number | null) => project.send({ type: "set_crease", surface: surface.name, angle });
  const how = crease == null ? "file" : crease === 0 ? "all" : "angle";
  return (
    <>
      <label className="flex items-center gap-1.5" title="How edges of this surface look, here and in what is handed off">
        Edges
        <select
          value={how} className="h-7 rounded-control bg-fog-2 px-1.5"
          onChange={({ target: { value } }) => set(value === "file" ? null : value === "all" ? 0 : 40)}
        >
          <option value="file">as in the file</option>
          <option value="all">all sharp</option>
          <option value="angle">sharp by angle</option>
        </select>
      </label>
      {how === "angle" && <NumberField label="from" value={crease ?? 0} min={1} max={180} unit="°" title="Edges between faces that turn by less are smooth" onChange={set} />}
    </>
  );
}
