import { IconAdjustments } from "@tabler/icons-react";

import { COMMANDS, tooltip } from "../commands/commands";
import { type Pressed, setPressed, setTip, useDesk } from "../state/desk";
import { toggleTipCard, useCards } from "../state/cards";
import type { Project } from "../state/project";
import { radiusBounds, rounded } from "../state/radius";
import { useSession } from "../state/session";
import { percent } from "../ui/numbers";
import { Part } from "../ui/part";
import { RangeSlider } from "../ui/range_slider";
import { Slider } from "../ui/slider";
import { Presets } from "./presets";
import { ScratchArea } from "./scratch_area";
import { StateChips } from "./state_chips";

/** How the brush touches: what is needed all the time; the rest is one click away. */
export function TipPart({ project }: { project: Project }) {
  const tip = useDesk((desk) => desk.tip);
  const open = useCards((cards) => cards.open === "tip");
  const world = tip.unit === "world";
  // A model of another size has other bounds.
  useSession((session) => session.modelSize);
  const [least, most] = radiusBounds(tip.unit);
  const pressed = (what: Pressed) => ({
    least: tip[`pressure_${what}`] ? (tip[`pressure_${what}_curve`]?.least ?? 1) : 1,
    onLeast: (share: number) => setPressed(what, share),
  });
  const title = (
    <span className="flex min-w-0 grow items-center gap-2">
      Tip
      <StateChips />
      <button
        type="button"
        aria-expanded={open}
        title={tooltip("tipCard")}
        onClick={toggleTipCard}
        className={`flex h-6 shrink-0 items-center gap-1 rounded-control px-1.5 font-normal ${open ? "bg-accent-soft" : "hover:bg-fog-2"}`}
      >
        <IconAdjustments size={15} stroke={1.7} /> More
      </button>
    </span>
  );
  return (
    <Part title={title}>
      <div className="flex gap-3">
        <div className="shrink-0 max-[1100px]:hidden">
          <ScratchArea project={project} />
        </div>
        <div className="min-w-0 grow">
          <RangeSlider
            label="Radius" value={tip.radius} min={least} max={most} fine {...pressed("radius")}
            show={(v) => (world ? `${rounded(v)}` : `${Math.round(v)} px`)} onChange={(radius) => setTip({ radius })}
            title={`${COMMANDS.smaller.keys[0]} and ${COMMANDS.larger.keys[0]}, or ${COMMANDS.tipDrag.keys[0]}: across the radius, up the hardness`}
          />
          <RangeSlider label="Strength" value={tip.strength} min={0.01} max={1} {...pressed("strength")} show={percent} onChange={(strength) => setTip({ strength })} title="How much one stroke covers" />
          <RangeSlider label="Hardness" value={tip.hardness} min={0} max={1} {...pressed("hardness")} show={percent} onChange={(hardness) => setTip({ hardness })} title="How much of the radius has full weight" />
          <Slider label="Spacing" value={tip.spacing} min={0.02} max={2} fine show={percent} onChange={(spacing) => setTip({ spacing })} title="From dab to dab, as a share of the diameter" wide />
        </div>
      </div>
      <Presets project={project} />
    </Part>
  );
}
