import { IconAlertTriangle } from "@tabler/icons-react";
import { useEffect, useState } from "react";

import { loadCheckup } from "../api/rest";
import type { Checkup } from "../api/schema.generated";
import { useDesk } from "../state/desk";

/** Said before the first stroke: what is wrong with the chosen surface's UVs, until the painter calls it meant so. */
export function UvBanner({ project }: { project: string }) {
  const [checkups, setCheckups] = useState<Checkup[]>([]);
  const surface = useDesk((desk) => desk.surface);
  const meantSo = useDesk((desk) => desk.meantSo);

  useEffect(() => {
    let current = true;
    loadCheckup(project)
      .then((found) => current && setCheckups(found))
      // A checkup that cannot be had is no reason to disturb the painter.
      .catch(() => undefined);
    return () => {
      current = false;
    };
  }, [project]);

  const findings = checkups.find((checkup) => checkup.surface === surface)?.findings ?? [];
  if (!surface || !findings.length || meantSo.includes(surface)) return null;
  return (
    <div role="status" data-testid="uv-banner" className="card absolute top-11 left-0 flex max-w-[60%] items-start gap-2 p-2.5">
      <IconAlertTriangle size={17} stroke={1.7} className="mt-0.5 shrink-0 text-danger" />
      <ul>
        {findings.map((finding) => (
          <li key={finding}>
            <b className="font-semibold">{surface}</b>: {finding}
          </li>
        ))}
      </ul>
      <button
        type="button"
        title="Do not mention this again for this surface"
        onClick={() => useDesk.setState({ meantSo: [...meantSo, surface] })}
        className="h-7 shrink-0 rounded-control bg-fog-2 px-2.5 hover:bg-fog-3"
      >
        Meant so
      </button>
    </div>
  );
}
