import { IconAlertTriangle } from "@tabler/icons-react";

import { openFindings, useCheckup } from "../state/checkup";
import { useDesk } from "../state/desk";
import type { Project } from "../state/project";

/** Said before the first stroke: what is badly wrong with the chosen surface's UVs, and where to mend it. */
export function UvBanner({ project }: { project: Project }) {
  const surfaces = useCheckup((checked) => checked.surfaces);
  const surface = useDesk((desk) => desk.surface);
  const findings = openFindings(surfaces, surface).filter(({ serious }) => serious);
  if (!surface || !findings.length) return null;
  const meant = () => findings.forEach(({ kind }) => project.send({ type: "mean_so", surface, kind, meant: true }));
  return (
    <div role="status" data-testid="uv-banner" className="card flex items-start gap-2 p-2.5">
      <IconAlertTriangle size={17} stroke={1.7} className="mt-0.5 shrink-0 text-danger" />
      <ul>
        {findings.map(({ kind, sentence }) => (
          <li key={kind}>
            <b className="font-semibold">{surface}</b>: {sentence}
          </li>
        ))}
      </ul>
      <button
        type="button"
        title="See where, and mend it with one click"
        onClick={() => useDesk.setState({ stage: "prepare", uvDisplay: "findings" })}
        className="h-7 shrink-0 rounded-control bg-accent px-2.5 font-medium text-fog"
      >
        Mend
      </button>
      <button
        type="button"
        title="Remember that this is on purpose; what comes to share texels later is told again"
        onClick={meant}
        className="h-7 shrink-0 rounded-control bg-fog-2 px-2.5 hover:bg-fog-3"
      >
        Meant so
      </button>
    </div>
  );
}
