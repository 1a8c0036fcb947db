import { COMMANDS, tooltip } from "../commands/commands";
import type { Stage } from "../stage/stage";
import { type Method, type Preparing, setPreparing, useDesk } from "../state/desk";
import { polygonsPicked, usePicks } from "../state/picks";
import type { Project } from "../state/project";
import { surfaceNamed, useSession } from "../state/session";
import { NumberField } from "../ui/number_field";
import { Part } from "../ui/part";
import { Segmented } from "../ui/segmented";
import { SHAPES } from "./unwrap";

const METHODS: Record<Method, string> = {
  auto: "Automatic, by angle",
  seams: "Along the seams",
  planar: "Flat, as seen along an axis",
  box: "Box, six sides",
  cylinder: "Cylinder, rolled off",
  sphere: "Sphere, by longitude",
  grid: "Even grid, for strips of quads",
};

const AXES: { value: Preparing["axis"]; text: string; hint: string }[] = [
  { value: "x", text: "X", hint: "Up is the model's x" },
  { value: "y", text: "Y", hint: "Up is the model's y" },
  { value: "z", text: "Z", hint: "Up is the model's z" },
  { value: "view", text: "View", hint: "As the model is seen now" },
];

/** How UVs are made, and the button that makes them. */
export function UnwrapSettings({ project, stage }: { project: Project; stage: Stage }) {
  const { method, angle, margin, axis, keepPaint } = useDesk((desk) => desk.preparing);
  const surface = useDesk((desk) => desk.surface);
  const state = useSession((session) => session.state);
  const working = useSession((session) => session.work !== null);
  const { surfaceOf, faces, last } = usePicks();
  const name = surfaceNamed(state, surface)?.name ?? "";
  const index = state?.surfaces.findIndex((candidate) => candidate.name === name) ?? 0;
  const picked = polygonsPicked(faces, index);

  return (
    <Part title="Unwrap">
      <div className="flex h-7 items-center gap-2">
        <select
          aria-label="Way to unwrap"
          value={method}
          onChange={(event) => setPreparing({ method: event.target.value as Method })}
          className="h-7 min-w-0 grow rounded-control bg-fog-2 px-2"
        >
          {Object.entries(METHODS).map(([value, text]) => (
            <option key={value} value={value}>
              {text}
            </option>
          ))}
        </select>
      </div>
      <div className="mt-0.5 flex h-7 items-center justify-between gap-2">
        {method === "auto" && (
          <NumberField label="Angle" value={angle} min={1} max={89} unit="°" title="How far faces of one island may turn away from each other" onChange={(next) => setPreparing({ angle: next })} />
        )}
        {SHAPES.includes(method) && (
          <Segmented label="Up" options={AXES} value={axis} onChange={(next) => setPreparing({ axis: next })} />
        )}
        {method === "grid" && (
          <span className="truncate text-ink-2" title="The grid spreads from the face that was clicked last; marked seams stay cuts">
            {last !== null && surfaceOf[last] === index ? "The face clicked last leads" : "Click a face to lead"}
          </span>
        )}
        <NumberField label="Margin" value={margin} min={0} max={256} unit="px" title="Texels that stay free between islands" onChange={(next) => setPreparing({ margin: next })} />
      </div>
      <label className="flex h-7 items-center gap-1.5" title="When UVs change: the paint stays where it is on the model, or where it is in the map">
        <input
          type="checkbox"
          checked={keepPaint}
          onChange={(event) => setPreparing({ keepPaint: event.target.checked })}
          className="size-4 accent-accent"
        />
        Paint stays on the model
      </label>
      <button
        type="button"
        disabled={working}
        onClick={() => COMMANDS.unwrap.act({ project, stage })}
        title={tooltip("unwrap")}
        className="mt-0.5 h-7 w-full truncate rounded-control bg-accent px-3 font-medium text-fog disabled:opacity-50"
      >
        {picked ? `Unwrap ${picked.toLocaleString("en")} picked ${picked === 1 ? "face" : "faces"}` : `Unwrap ${name}`}
      </button>
    </Part>
  );
}
