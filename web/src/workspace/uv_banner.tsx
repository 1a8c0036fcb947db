import { IconAlertTriangle } from "@tabler/icons-react";

import { openFindings, recolor, useCheckup } from "../state/checkup";
import { useDesk } from "../state/desk";

/** Said before the first stroke: what is badly wrong with the chosen surface's UVs, and where to mend it. */
export function UvBanner() {
  const surfaces = useCheckup((checked) => checked.surfaces);
  const surface = useDesk((desk) => desk.surface);
  const meantSo = useDesk((desk) => desk.meantSo);
  const findings = openFindings(surfaces, surface, meantSo).filter(({ serious }) => serious);
  if (!surface || !findings.length) return null;
  const meant = () => {
    const next = [...meantSo, ...findings.map(({ kind }) => `${surface}:${kind}`)];
    useDesk.setState({ meantSo: next });
    recolor(next);
  };
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
        title="Do not mention this again for this surface"
        onClick={meant}
        className="h-7 shrink-0 rounded-control bg-fog-2 px-2.5 hover:bg-fog-3"
      >
        Meant so
      </button>
    </div>
  );
}
