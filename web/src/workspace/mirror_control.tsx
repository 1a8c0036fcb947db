import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { IconFlipVertical } from "@tabler/icons-react";

import { useDesk } from "../state/desk";
import { NumberField } from "../ui/number_field";
import { Segmented } from "../ui/segmented";

/** The button's id: others open it, too. */
export const MIRROR_BUTTON = "mirror-control";

const AXES = [
  { value: "x", text: "X" },
  { value: "y", text: "Y" },
  { value: "z", text: "Z" },
];

/** Symmetry of strokes: always in view while it is on. */
export function MirrorControl() {
  const mirror = useDesk((desk) => desk.mirror);
  const on = mirror.planes !== "" || mirror.turns > 1;
  const flip = (axis: string) => {
    const planes = AXES.map(({ value }) => value).filter((value) => mirror.planes.includes(value) !== (value === axis)).join("");
    useDesk.setState({ mirror: { ...mirror, planes } });
  };
  const text = [mirror.planes && `Mirror ${mirror.planes.toUpperCase()}`, mirror.turns > 1 && `${mirror.turns} around ${mirror.axis.toUpperCase()}`].filter(Boolean).join(", ");
  return (
    <Popover className="relative">
      <PopoverButton
        id={MIRROR_BUTTON}
        title="Repeat strokes across planes of the model or around an axis"
        className={`flex h-7 items-center gap-1.5 rounded-control px-2 ${on ? "bg-accent-soft" : "text-ink-2 hover:bg-fog-2"}`}
      >
        <IconFlipVertical size={16} stroke={1.7} />
        {on ? text : "Mirror"}
      </PopoverButton>
      <PopoverPanel anchor="bottom end" className="card z-20 w-64 p-3 shadow-lg [--anchor-gap:8px]">
        <p className="font-semibold text-ink-2">Across the model’s</p>
        <div className="mt-1 flex gap-1.5">
          {AXES.map(({ value, text: name }) => (
            <button
              key={value}
              type="button"
              aria-pressed={mirror.planes.includes(value)}
              aria-label={`Mirror across ${name}`}
              onClick={() => flip(value)}
              className={`h-8 grow rounded-control ${mirror.planes.includes(value) ? "bg-accent-soft" : "bg-fog-2 hover:bg-fog-3"}`}
            >
              {name}
            </button>
          ))}
        </div>
        <p className="mt-2.5 font-semibold text-ink-2">Around an axis</p>
        <div className="mt-1 flex items-center justify-between">
          <NumberField label="Times" value={mirror.turns} min={1} max={12} onChange={(turns) => useDesk.setState({ mirror: { ...mirror, turns: Math.round(turns) } })} />
          <Segmented label="Axis" options={AXES} value={mirror.axis} onChange={(axis) => useDesk.setState({ mirror: { ...mirror, axis } })} />
        </div>
        <p className="mt-2 text-ink-2">A red ring marks a place where the model has no match; nothing is painted there.</p>
      </PopoverPanel>
    </Popover>
  );
}
