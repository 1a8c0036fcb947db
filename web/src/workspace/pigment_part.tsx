import { IconArrowsExchange } from "@tabler/icons-react";

import { tooltip } from "../commands/commands";
import { eightBits } from "../state/color";
import { setPigment, swapLoads, switchMap, useDesk } from "../state/desk";
import { Part } from "../ui/part";
import { Slider } from "../ui/slider";
import { ColorField } from "./color_field";
import { written } from "./figures";
import { KeptPigments } from "./kept_pigments";

const VALUES: { key: "roughness" | "metallic" | "height" | "opacity"; label: string; title: string }[] = [
  { key: "roughness", label: "Rough", title: "0 is shiny, 1 is rough" },
  { key: "metallic", label: "Metal", title: "0 is no metal, 1 is bare metal" },
  { key: "height", label: "Bump", title: "Below 0 digs in, above raises" },
  { key: "opacity", label: "Solid", title: "How much of the model is there: 0 is a hole, 1 is solid" },
];

/** What the brush carries: a value, or nothing, for each map; and a second load to swap with. */
export function PigmentPart() {
  const { pigment, resting } = useDesk();
  const other = useDesk((desk) => desk.otherPigment.base_color);
  const onOff = (name: string, key: keyof typeof pigment) => {
    const on = pigment[key] != null;
    return (
      <button
        type="button"
        role="switch"
        aria-checked={on}
        aria-label={`Paint ${name}`}
        title={on ? `Leave ${name} alone` : `Paint ${name}`}
        onClick={() => switchMap(key)}
        className={`h-6 w-9 shrink-0 rounded-control ${on ? "bg-accent-soft" : "bg-fog-2 text-ink-2"}`}
      >
        {on ? "on" : "off"}
      </button>
    );
  };
  const title = (
    <span className="flex min-w-0 grow items-center gap-2 max-[1180px]:gap-1.5">
      <span className="shrink-0 min-[1181px]:w-[62px]">Pigment</span>
      <span className="flex min-w-0 grow items-center gap-2 font-normal text-ink max-[1180px]:gap-1">
        <ColorField label="Color" color={pigment.base_color ?? resting.base_color} disabled={pigment.base_color == null} onChange={(base_color) => setPigment({ base_color })} />
        {onOff("color", "base_color")}
      </span>
      <button type="button" title={tooltip("swap")} aria-label="Swap pigments" onClick={swapLoads} className="flex h-6 items-center shrink-0 gap-1 rounded-control px-1.5 font-normal hover:bg-fog-2 max-[1180px]:px-1">
        <IconArrowsExchange size={15} stroke={1.7} className="max-[1180px]:hidden" />
        <span className="size-4 rounded-full shadow-[inset_0_0_0_1px_rgb(0_0_0/0.18)]" style={{ background: other ? eightBits(other) : "transparent" }} />
      </button>
    </span>
  );
  return (
    <Part title={title}>
      {VALUES.map(({ key, label, title: hint }) => (
        <div key={key} className="flex items-center gap-2">
          <div className="min-w-0 grow">
            <Slider
              label={label}
              value={pigment[key] ?? resting[key]}
              min={0}
              max={1}
              disabled={pigment[key] == null}
              {...written(key)}
              title={hint}
              onChange={(value) => setPigment({ [key]: value })}
            />
          </div>
          {onOff(label.toLowerCase(), key)}
        </div>
      ))}
      <KeptPigments />
    </Part>
  );
}
