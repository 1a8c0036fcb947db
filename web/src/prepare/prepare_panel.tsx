import { IconAlertTriangle, IconCircleCheck } from "@tabler/icons-react";

import { openIn, useCheckup } from "../state/checkup";
import { useDesk } from "../state/desk";
import { pickRuns, type Runs, usePicks } from "../state/picks";
import type { Project } from "../state/project";
import { surfaceNamed, useSession } from "../state/session";
import { shown } from "../workspace/figures";
import { PartsList } from "../workspace/parts_list";
import { SurfaceChoice } from "../workspace/surface_choice";
import { cure, CURES } from "./cures";
import type { SurfaceState } from "../state/document";

/** What is wrong with the model's UVs, surface by surface, and its parts. */
export function PreparePanel({ project }: { project: Project }) {
  const state = useSession((session) => session.state);
  const chosen = useDesk((desk) => desk.surface);
  const surface = surfaceNamed(state, chosen);
  if (!state || !surface) return null;
  return (
    <section aria-label="Prepare" className="card flex h-full flex-col overflow-hidden">
      <SurfaceChoice project={project} />
      <div className="min-h-0 grow basis-0 overflow-y-auto border-t border-fog-3">
        <CheckupList project={project} surface={surface} />
        <Parts project={project} />
      </div>
    </section>
  );
}

function CheckupList({ project, surface }: { project: Project; surface: SurfaceState }) {
  const { surfaces, running } = useCheckup();
  const checkup = surfaces?.find((found) => found.surface === surface.name);
  const findings = checkup ? openIn(checkup) : [];
  const ignored = checkup?.findings.filter(({ meant }) => meant) ?? [];
  const [least, middle, most] = checkup?.density ?? [0, 0, 0];
  return (
    <div className="p-3" data-testid="checkup" data-running={running || !surfaces}>
      <h2 className="font-semibold wrap-anywhere text-ink-2">Checkup of {surface.name}</h2>
      {!checkup && <p className="mt-1.5 text-ink-2">{running || !surfaces ? "Looking …" : "No faces."}</p>}
      {!checkup && !running && surfaces && (
        <button
          type="button"
          title="Its layers go with it; undo brings them back"
          onClick={() => project.send({ type: "remove_surface", surface: surface.name })}
          className="mt-2 h-7 rounded-control bg-accent px-2.5 font-medium text-fog"
        >
          Remove this surface
        </button>
      )}
      {checkup && (
        <p className="mt-1 text-ink-2">
          {checkup.polygons.toLocaleString("en")} {checkup.polygons === 1 ? "face" : "faces"}, {checkup.islands} {checkup.islands === 1 ? "island" : "islands"},{" "}
          {Math.round(checkup.used * 100)}% of the map used, {most > 1.05 * least && "mostly "}
          {shown(middle)} px per unit
          {checkup.islands > 1 && (checkup.gap == null ? ", islands far apart" : `, ${Math.floor(checkup.gap)} texels between islands`)}.
        </p>
      )}
      {checkup && !findings.length && (
        <p className="mt-2 flex items-center gap-1.5">
          <IconCircleCheck size={17} className="shrink-0 text-accent" />
          {ignored.length ? "Nothing else to mend." : "Sound: nothing to mend."}
        </p>
      )}
      <ul className="mt-2 flex flex-col gap-2">
        {findings.map((finding) => (
          <li key={finding.kind} className="rounded-control bg-fog-2 p-2">
            <button
              type="button"
              title="Pick these faces"
              onClick={() => pickRuns(finding.faces as Runs)}
              className="flex gap-1.5 text-left"
            >
              <IconAlertTriangle size={16} className={`mt-0.5 shrink-0 ${finding.serious ? "text-danger" : "text-care"}`} />
              <span>{finding.sentence}</span>
            </button>
            <div className="mt-1.5 flex gap-1.5">
              <button
                type="button"
                onClick={() => cure(project, checkup!, finding)}
                className="h-7 rounded-control bg-accent px-2.5 font-medium text-fog"
              >
                {CURES[finding.cure]}
              </button>
              <button
                type="button"
                title="Remember that this is on purpose; what comes to share texels later is told again"
                onClick={() => project.send({ type: "mean_so", surface: surface.name, kind: finding.kind, meant: true })}
                className="h-7 rounded-control px-2 text-ink-2 hover:bg-fog-3"
              >
                Meant so
              </button>
            </div>
          </li>
        ))}
      </ul>
      {ignored.length > 0 && (
        <button
          type="button"
          onClick={() => ignored.forEach(({ kind }) => project.send({ type: "mean_so", surface: surface.name, kind, meant: false }))}
          className="mt-2 h-7 rounded-control px-1 text-ink-2 underline"
        >
          {ignored.length} meant so: mention again
        </button>
      )}
    </div>
  );
}

function Parts({ project }: { project: Project }) {
  const state = useSession((session) => session.state);
  const mesh = usePicks((picks) => picks.mesh);
  if (!state?.mesh) return null;
  return (
    <div className="border-t border-fog-3 p-3">
      <h2 className="font-semibold text-ink-2">
        {state.mesh.parts.length} {state.mesh.parts.length === 1 ? "part" : "parts"}
        {mesh && `, ${realSize(mesh.surfaces.map(({ position }) => position))}`}
      </h2>
      <PartsList project={project} />
    </div>
  );
}

/** Breadth, height and depth of the model in its units; glTF's are meters. */
function realSize(positions: Float32Array[]): string {
  const low = [Infinity, Infinity, Infinity];
  const high = [-Infinity, -Infinity, -Infinity];
  for (const places of positions) {
    for (let i = 0; i < places.length; i++) {
      low[i % 3] = Math.min(low[i % 3]!, places[i]!);
      high[i % 3] = Math.max(high[i % 3]!, places[i]!);
    }
  }
  return `${low.map((value, k) => shown(high[k]! - value)).join(" × ")} units`;
}
