import { IconArrowsExchange } from "@tabler/icons-react";

import { tooltip } from "../commands/commands";
import { setPigment, swapPigments, useDesk } from "../state/desk";
import { Part } from "../ui/part";
import { Slider } from "../ui/slider";

const signed = (value: number) => `${value >= 0 ? "+" : "−"}${Math.abs(value).toFixed(2)}`;

const VALUES: { key: "roughness" | "metallic" | "height"; label: string; ends: [string, string]; rest: number }[] = [
  { key: "roughness", label: "Rough", ends: ["shiny", "rough"], rest: 0.5 },
  { key: "metallic", label: "Metal", ends: ["no metal", "metal"], rest: 0 },
  { key: "height", label: "Bump", ends: ["dug in", "raised"], rest: 0.6 },
];

/** What the brush carries: a value, or nothing, for each map; and a second load to swap with. */
export function PigmentPart() {
  const pigment = useDesk((desk) => desk.pigment);
  const other = useDesk((desk) => desk.otherPigment.base_color);
  const color = pigment.base_color ?? "#808080";
  const onOff = (name: string, on: boolean, change: (on: boolean) => void) => (
    <button
      type="button"
      role="switch"
      aria-checked={on}
      aria-label={`Paint ${name}`}
      title={on ? `Leave ${name} alone` : `Paint ${name}`}
      onClick={() => change(!on)}
      className={`h-7 w-9 shrink-0 rounded-control ${on ? "bg-accent-soft" : "bg-fog-2 text-ink-2"}`}
    >
      {on ? "on" : "off"}
    </button>
  );
  const title = (
    <span className="flex grow items-center justify-between">
      Pigment
      <button type="button" title={tooltip("swap")} aria-label="Swap pigments" onClick={swapPigments} className="flex h-6 items-center gap-1 rounded-control px-1.5 font-normal hover:bg-fog-2">
        <IconArrowsExchange size={15} stroke={1.7} />
        <span className="size-4 rounded-full shadow-[inset_0_0_0_1px_rgb(0_0_0/0.18)]" style={{ background: other ?? "transparent" }} />
      </button>
    </span>
  );
  return (
    <Part title={title}>
      <div className="flex h-7 items-center gap-2">
        <span className="w-[62px] shrink-0">Color</span>
        <input
          type="color"
          aria-label="Color"
          value={color}
          disabled={pigment.base_color == null}
          onChange={(event) => setPigment({ base_color: event.target.value })}
          className="color-well h-5 min-w-0 grow"
        />
        <span className="w-14 shrink-0 text-right text-ink-2">{color}</span>
        {onOff("color", pigment.base_color != null, (on) => setPigment({ base_color: on ? color : null }))}
      </div>
      {VALUES.map(({ key, label, ends, rest }) => (
        <div key={key} className="flex items-center gap-2">
          <div className="min-w-0 grow">
            <Slider
              label={label}
              value={pigment[key] ?? rest}
              min={0}
              max={1}
              disabled={pigment[key] == null}
              ends={ends}
              show={(value) => (key === "height" ? signed(value - 0.5) : value.toFixed(2))}
              read={key === "height" ? (typed) => typed + 0.5 : undefined}
              title={label}
              onChange={(value) => setPigment({ [key]: value })}
            />
          </div>
          {onOff(label.toLowerCase(), pigment[key] != null, (on) => setPigment({ [key]: on ? rest : null }))}
        </div>
      ))}
    </Part>
  );
}
