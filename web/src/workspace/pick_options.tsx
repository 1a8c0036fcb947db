import { keepPicked, pickNone } from "../stage/region_input";
import { type Desk, useDesk } from "../state/desk";
import { usePicks } from "../state/picks";
import type { Project } from "../state/project";
import { Part } from "../ui/part";
import { Segmented } from "../ui/segmented";

const EXTENTS: { value: Desk["pickBy"]; text: string; hint: string }[] = [
  { value: "face", text: "Face", hint: "The polygon that is touched" },
  { value: "patch", text: "Patch", hint: "What goes on smoothly from there, up to hard edges and seams" },
  { value: "island", text: "Island", hint: "The whole UV island" },
  { value: "part", text: "Part", hint: "The whole part of the model" },
  { value: "surface", text: "Surface", hint: "All of the surface" },
  { value: "shape", text: "Outline", hint: "Draw around: on the model the faces seen inside, in the map a free shape" },
];

/** What picking takes together, and what is done with it. */
export function PickOptions({ project }: { project: Project }) {
  const { pickBy } = useDesk();
  const { polygons } = usePicks();
  const button = "h-7 rounded-control bg-fog-2 px-3 enabled:hover:bg-fog-3 disabled:opacity-50";
  return (
    <Part title="Pick: click or drag; Shift adds, Ctrl takes away">
      <div className="mt-1 -ml-1">
        <Segmented wraps label="Pick what" options={EXTENTS} value={pickBy} onChange={(next) => useDesk.setState({ pickBy: next })} />
      </div>
      <p className="mt-1 flex h-7 items-center text-ink-2" role="status">
        {polygons ? `${polygons} ${polygons === 1 ? "face is" : "faces are"} picked.` : "No faces are picked."}
      </p>
      <div className="mt-0.5 flex gap-1.5">
        <button type="button" className={button} disabled={!polygons} title="Keep the picked faces as a region, and as the fence" onClick={() => keepPicked({ project })}>
          Keep as region
        </button>
        <button type="button" className={button} disabled={!polygons} onClick={pickNone}>
          Pick nothing
        </button>
      </div>
    </Part>
  );
}
