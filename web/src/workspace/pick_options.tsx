import { tooltip } from "../commands/commands";
import { keepPicked, pickNone } from "../stage/region_input";
import { type Desk, useDesk } from "../state/desk";
import { usePicks } from "../state/picks";
import type { Project } from "../state/project";
import { Part } from "../ui/part";
import { Segmented } from "../ui/segmented";
import { Slider } from "../ui/slider";

const EXTENTS: { value: Desk["pickBy"]; text: string; hint: string }[] = [
  { value: "face", text: "Face", hint: "The polygon that is touched" },
  { value: "patch", text: "Patch", hint: "What goes on smoothly from there, up to hard edges and seams" },
  { value: "facing", text: "Facing", hint: "All of the surface that faces the same way, wherever it is" },
  { value: "island", text: "Island", hint: "The whole UV island" },
  { value: "part", text: "Part", hint: "The whole part of the model" },
  { value: "surface", text: "Surface", hint: "All of the surface" },
  { value: "color", text: "ID color", hint: "All of the surface that the project's picture of flat colors shows in one color" },
  { value: "box", text: "Box", hint: "Drag a box: on the model the faces seen inside, in the map a rectangle" },
  { value: "shape", text: "Outline", hint: "Draw around: on the model the faces seen inside, in the map a free shape" },
];

/** What picking takes together, and what is done with it. */
export function PickOptions({ project }: { project: Project }) {
  const { pickBy, pickAngle } = useDesk();
  const { polygons } = usePicks();
  const button = "h-7 rounded-control bg-fog-2 px-3 enabled:hover:bg-fog-3 disabled:opacity-50";
  return (
    <Part title="Pick: click or drag; Shift adds, Ctrl takes away">
      <div className="mt-1 -ml-1">
        <Segmented wraps label="Pick what" options={EXTENTS} value={pickBy} onChange={(next) => useDesk.setState({ pickBy: next })} />
      </div>
      {(pickBy === "patch" || pickBy === "facing") && (
        <Slider label="Within" value={pickAngle} min={1} max={90} show={(value) => `${Math.round(value)}°`} title="How far their directions may differ" onChange={(next) => useDesk.setState({ pickAngle: Math.round(next) })} />
      )}
      <p className="flex h-5 items-center text-ink-2" role="status" title={polygons ? tooltip("framePicked") : undefined}>
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
