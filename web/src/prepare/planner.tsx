import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useEffect, useState } from "react";

import { loadPlan } from "../api/rest";
import type { Plan } from "../api/schema.generated";
import type { Project } from "../state/project";
import { NumberField } from "../ui/number_field";

/** Which map size a surface needs from where it will be seen, and what one shared map or one for each costs. */
export function Planner({ project }: { project: Project }) {
  return (
    <Popover className="relative">
      <PopoverButton title="Which map size is needed, and what it costs" className="h-7 rounded-control bg-fog-2 px-2.5 hover:bg-fog-3">
        Plan sizes
      </PopoverButton>
      <PopoverPanel anchor="top end" className="card z-20 w-[430px] p-3.5 shadow-lg [--anchor-gap:8px]">
        <PlanCard project={project} />
      </PopoverPanel>
    </Popover>
  );
}

function PlanCard({ project }: { project: Project }) {
  const [view, setView] = useState({ distance: 3, fov: 40, height: 1080 });
  const [plan, setPlan] = useState<Plan | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  useEffect(() => {
    let current = true;
    loadPlan(project.id, view.distance, view.fov, view.height)
      .then((found) => current && (setPlan(found), setProblem(null)))
      .catch((error: Error) => current && setProblem(error.message));
    return () => {
      current = false;
    };
  }, [project.id, view]);
  return (
    <>
      <div className="flex flex-wrap gap-x-3">
        <NumberField label="Nearest" value={view.distance} min={0.001} max={1e6} unit="units" title="From the camera to the model, at its nearest" onChange={(distance) => setView({ ...view, distance })} />
        <NumberField label="View" value={view.fov} min={1} max={170} unit="°" title="Vertical field of view" onChange={(fov) => setView({ ...view, fov })} />
        <NumberField label="Picture" value={view.height} min={16} max={20000} unit="px high" onChange={(height) => setView({ ...view, height })} />
      </div>
      {problem && <p className="mt-2 text-danger">{problem}</p>}
      {!plan && !problem && <p className="mt-2 text-ink-2">Laying the islands out …</p>}
      {plan && (
        <>
          <p className="mt-2">
            From {view.distance} units, in a picture {view.height} px high, a model unit takes {Math.round(plan.needed)} px.{" "}
            {Object.entries(plan.sizes).map(([name, side]) => `${name}: ${side} × ${side}`).join(", ")}.
          </p>
          <table className="mt-2 w-full text-right">
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
                const values = Object.values(density).map(Math.round);
                const [low, high] = [Math.min(...values), Math.max(...values)];
                return (
                  <tr key={`${shared} ${side}`} className={enough ? "" : "text-ink-2"}>
                    <td className="text-left">
                      {shared ? "one shared" : "one each"}, {side}
                    </td>
                    <td>{low === high ? low : `${low}–${high}`}</td>
                    <td>{(bytes / 2 ** 20).toFixed(0)} MB</td>
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
