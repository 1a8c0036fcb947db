import { IconAlertTriangle } from "@tabler/icons-react";

import type { Checkup } from "../api/schema.generated";
import { cure, CURES } from "../prepare/cures";
import { openIn, useCheckup } from "../state/checkup";
import { useDesk } from "../state/desk";
import { workOn } from "../state/layers";
import type { Project } from "../state/project";

/** Sentences that are shown; of more surfaces only how many there are. */
const MOST = 3;

const seriousIn = (checkup: Checkup) => openIn(checkup).filter(({ serious }) => serious);

/** Said before the first stroke: what is badly wrong with UVs that it may reach, with what mends it. */
export function UvBanner({ project }: { project: Project }) {
  const surfaces = useCheckup((checked) => checked.surfaces);
  const chosen = useDesk((desk) => desk.surface);
  // The chosen surface first.
  const sorted = [...(surfaces ?? [])].sort((one, other) => Number(other.surface === chosen) - Number(one.surface === chosen));
  const found = sorted.flatMap((checkup) => seriousIn(checkup).map((finding, place) => ({ checkup, finding, first: place === 0 })));
  if (!found.length) return null;
  const meant = () =>
    found.forEach(({ checkup: { surface }, finding: { kind } }) => project.send({ type: "mean_so", surface, kind, meant: true }));
  const look = () => {
    workOn(found[0]!.checkup.surface);
    useDesk.setState({ stage: "prepare", uvDisplay: "findings" });
  };
  // What else is wrong with a surface is looked at again when it is mended.
  const cures = found.filter(({ first }) => first);
  const mend = () => cures.forEach(({ checkup, finding }) => cure(project, checkup, finding));
  return (
    <div role="status" data-testid="uv-banner" className="card flex flex-wrap items-start gap-2 p-2.5">
      <IconAlertTriangle size={17} stroke={1.7} className="mt-0.5 shrink-0 text-danger" />
      <ul className="min-w-0 flex-1 basis-72 wrap-anywhere">
        {found.slice(0, MOST).map(({ checkup: { surface }, finding: { kind, sentence } }) => (
          <li key={`${surface} ${kind}`}>
            <b className="font-semibold">{surface}</b>: {sentence}
          </li>
        ))}
        {found.length > MOST && <li>and {found.length - MOST} more</li>}
      </ul>
      <div className="ml-auto flex gap-2">
        <button
          type="button"
          title={`${cures.map(({ checkup, finding }) => `${checkup.surface}: ${CURES[finding.cure].toLowerCase()}`).join(", ")}. Undo takes ${cures.length === 1 ? "it" : "one after the other"} back`}
          onClick={mend}
          className="h-7 shrink-0 rounded-control bg-accent px-2.5 font-medium text-fog"
        >
          {cures.length === 1 ? CURES[cures[0]!.finding.cure] : "Mend all"}
        </button>
        <button type="button" title="See where, in Prepare" onClick={look} className="h-7 shrink-0 rounded-control bg-fog-2 px-2.5 hover:bg-fog-3">
          Look
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
    </div>
  );
}
