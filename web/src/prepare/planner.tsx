import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useEffect, useState } from "react";

import { loadPlan } from "../api/rest";
import type { Advice, Plan } from "../api/schema.generated";
import type { Project } from "../state/project";
import { useSession } from "../state/session";
import { NumberField } from "../ui/number_field";
import { shown } from "../workspace/figures";
import { inWords, MAP_BYTES } from "./map_bytes";

/** How far a camera usually stays from a model, of the diagonal of its box. */
const NEAR = 1.75;
const MOST_NAMES = 4;

/** Which map size a surface needs from where it will be seen, and what one shared map or one for each costs. */
export function Planner({ project }: { project: Project }) {
  return (
    <Popover className="relative">
      <PopoverButton title="Which map size is needed, and what it costs" className="h-7 rounded-control bg-fog-2 px-2.5 hover:bg-fog-3">
        Plan sizes
      </PopoverButton>
      <PopoverPanel role="region" aria-label="What sizes give and cost" anchor="top end" className="card z-20 w-[500px] p-3.5 shadow-lg [--anchor-gap:8px] [--anchor-padding:12px]">
        {({ close }) => <PlanCard project={project} done={close} />}
      </PopoverPanel>
    </Popover>
  );
}

function PlanCard({ project, done }: { project: Project; done: () => void }) {
  const modelSize = useSession((session) => session.modelSize);
  // As near as the model fills the picture.
  const [view, setView] = useState({ distance: Number((NEAR * modelSize).toPrecision(1)), fov: 40, height: 1080 });
  const [found, setFound] = useState<{ plan: Plan; from: typeof view } | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  useEffect(() => {
    let current = true;
    loadPlan(project.id, view.distance, view.fov, view.height)
      .then((plan) => current && (setFound({ plan, from: view }), setProblem(null)))
      .catch((error: Error) => current && setProblem(error.message));
    return () => {
      current = false;
    };
  }, [project.id, view]);
  const plan = found?.plan;
  return (
    <>
      <div className="flex flex-wrap gap-x-3">
        <NumberField label="Nearest" value={view.distance} min={1e-6} max={1e6} unit="units" title="From the camera to the model, at its nearest" onChange={(distance) => setView({ ...view, distance })} />
        <NumberField label="View" value={view.fov} min={1} max={170} unit="°" title="Vertical field of view" onChange={(fov) => setView({ ...view, fov })} />
        <NumberField label="Picture" value={view.height} min={16} max={20000} unit="px high" onChange={(height) => setView({ ...view, height })} />
      </div>
      {problem && <p className="mt-2 text-danger">{problem}</p>}
      {!plan && !problem && <p className="mt-2 text-ink-2">Laying the islands out …</p>}
      {plan && (
        <>
          <p className="mt-2">
            From {found.from.distance} units, in a picture {found.from.height} px high, a model unit takes {shown(plan.needed)} px.
          </p>
          <Advised project={project} advice={plan.advice} needed={plan.needed} done={done} />
          <p className="mt-3 text-ink-2">If all islands were laid out anew, in one map for all or in one for each surface:</p>
          <table className="mt-1 w-full text-right">
            <thead className="text-ink-2">
              <tr>
                <th className="text-left font-medium">Maps</th>
                <th className="font-medium">px per unit</th>
                <th className="font-medium">memory</th>
                <th className="font-medium">enough</th>
              </tr>
            </thead>
            <tbody>
              {plan.rows.map(({ shared, side, density, bytes, enough }) => {
                const values = Object.values(density);
                const [low, high] = [shown(Math.min(...values)), shown(Math.max(...values))];
                return (
                  <tr key={`${shared} ${side}`} className={enough ? "" : "text-ink-2"}>
                    <td className="text-left">
                      {shared ? "one shared" : "one each"}, {side}
                    </td>
                    <td>{low === high ? low : `${low}–${high}`}</td>
                    <td>{inWords(bytes)}</td>
                    <td>{enough ? "yes" : "no"}</td>
                  </tr>
                );
              })}
            </tbody>
          </table>
        </>
      )}
    </>
  );
}

/** What each map of all surfaces takes now, at 8 bits a channel; smaller copies for the distance take a third more. */
function byMap(advice: Advice[]): string {
  const texels = advice.reduce((sum, { now: [width, height] }) => sum + width * height, 0);
  const costs = Object.entries(MAP_BYTES).map(([map, bytes]) => `${map} ${inWords((texels * bytes * 4) / 3)}`);
  return `By map, 8 bits a channel: ${costs.join(", ")}; 16 bits take twice as much.`;
}

/** The map that each surface needs with the UVs it has, what all cost, and one button that makes them so. */
function Advised({ project, advice, needed, done }: { project: Project; advice: Advice[]; needed: number; done: () => void }) {
  const total = (of: (row: Advice) => number) => inWords(advice.reduce((sum, row) => sum + of(row), 0));
  const wanted = advice.filter(({ now, size }) => now[0] !== size[0] || now[1] !== size[1]);
  return (
    <>
      <div role="group" aria-label="What each surface needs" tabIndex={0} className="mt-2 max-h-[200px] overflow-y-auto [scrollbar-width:thin]">
        <table className="w-full whitespace-nowrap text-right" aria-label="Advised sizes">
          <thead className="sticky top-0 bg-fog text-ink-2">
            <tr>
              <th className="text-left font-medium">Islands as they are</th>
              <th className="font-medium">now</th>
              <th className="font-medium">enough</th>
              <th className="font-medium">px per unit</th>
              <th className="font-medium">memory</th>
            </tr>
          </thead>
          <tbody>
            {advice.map(({ surface, now, size, density, bytes }) => (
              <tr key={surface}>
                <td className="max-w-32 truncate text-left" title={surface}>
                  {surface}
                </td>
                <td>{now.join(" × ")}</td>
                <td>{density < needed ? "none" : size.join(" × ")}</td>
                <td>{shown(density)}</td>
                <td>{inWords(bytes)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <p className="flex border-t border-fog-3">
        <span className="grow font-medium">All of the project</span>
        now {total((row) => row.now_bytes)}, then&nbsp;<span className="font-medium">{total((row) => row.bytes)}</span>
      </p>
      <p className="mt-1 text-ink-2">{byMap(advice)}</p>
      {wanted.some(({ density }) => density < needed) && (
        <p className="mt-1 text-ink-2">“none”: even the largest map is coarser than that; larger islands or another surface would help.</p>
      )}
      <button
        type="button"
        disabled={!wanted.length}
        title={wanted.length ? "One step that undo takes back" : "All maps have these sizes"}
        onClick={() => {
          project.send({ type: "resize_each", sizes: Object.fromEntries(wanted.map(({ surface, size }) => [surface, size])) });
          done();
        }}
        className="mt-2 min-h-7 rounded-control bg-accent px-2.5 py-0.5 text-left font-medium wrap-anywhere text-fog disabled:bg-fog-2 disabled:text-ink-2"
      >
        {wanted.length ? `Use these sizes for ${someOf(wanted.map(({ surface }) => surface))}` : "The maps have these sizes"}
      </button>
    </>
  );
}

/** Names as part of a sentence, as many as one reads. */
function someOf(names: string[]): string {
  const rest = names.length - MOST_NAMES;
  return names.slice(0, MOST_NAMES).join(", ") + (rest > 0 ? ` and ${rest} more` : "");
}
