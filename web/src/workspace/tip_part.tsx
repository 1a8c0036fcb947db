import { IconBallpen } from "@tabler/icons-react";

import { setTip, useDesk } from "../state/desk";
import { COMMANDS } from "../commands/commands";
import type { Project } from "../state/project";
import { radiusBounds, rounded } from "../state/radius";
import { useSession } from "../state/session";
import { Part } from "../ui/part";
import { Slider } from "../ui/slider";
import { ScratchArea } from "./scratch_area";
import { TipSettings } from "./tip_settings";

const percent = (value: number) => `${Math.round(value * 100)}%`;

/** How the brush touches: what is needed all the time; the rest is one click away. */
export function TipPart({ project }: { project: Project }) {
  const tip = useDesk((desk) => desk.tip);
  const world = tip.unit === "world";
  // A model of another size has other bounds.
  useSession((session) => session.modelSize);
  const [least, most] = radiusBounds(tip.unit);
  const title = (
    <span className="flex grow items-center justify-between">
      {tip.picture ? `Tip: ${tip.picture}` : "Tip"}
      <TipSettings project={project} />
    </span>
  );
  return (
    <Part title={title}>
      <div className="flex gap-3">
        <div className="shrink-0 max-[1100px]:hidden">
          <ScratchArea project={project} />
        </div>
        <div className="min-w-0 grow">
          <Slider
            label="Radius" value={tip.radius} min={least} max={most} fine
            show={(v) => (world ? `${rounded(v)}` : `${Math.round(v)} px`)} onChange={(radius) => setTip({ radius })}
            title={`${COMMANDS.smaller.keys[0]} and ${COMMANDS.larger.keys[0]}, or ${COMMANDS.tipDrag.keys[0]}: across the radius, up the hardness`} after={<PenSwitch what="radius" />}
          />
          <Slider label="Strength" value={tip.strength} min={0.01} max={1} show={percent} onChange={(strength) => setTip({ strength })} title="How much one stroke covers" after={<PenSwitch what="strength" />} />
          <Slider label="Hardness" value={tip.hardness} min={0} max={1} show={percent} onChange={(hardness) => setTip({ hardness })} title="How much of the radius has full weight" after={<PenSwitch what="hardness" />} />
          <Slider label="Spacing" value={tip.spacing} min={0.02} max={2} fine show={percent} onChange={(spacing) => setTip({ spacing })} title="From dab to dab, as a share of the diameter" after={<span className="w-6 shrink-0" />} />
        </div>
      </div>
    </Part>
  );
}

/** Whether a pen's pressure changes a value; its curve is under More. */
function PenSwitch({ what }: { what: "radius" | "strength" | "hardness" }) {
  const on = useDesk((desk) => desk.tip[`pressure_${what}`]);
  return (
    <button
      type="button"
      aria-pressed={on}
      aria-label={`Pressure changes the ${what}`}
      title={`A pen's pressure changes the ${what}`}
      onClick={() => setTip({ [`pressure_${what}`]: !on })}
      className={`grid size-6 shrink-0 place-items-center rounded-control ${on ? "bg-accent-soft text-accent" : "text-ink-2 hover:bg-fog-3"}`}
    >
      <IconBallpen size={15} stroke={1.7} />
    </button>
  );
}
