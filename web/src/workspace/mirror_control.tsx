import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { IconFlipVertical } from "@tabler/icons-react";

import { useDesk } from "../state/desk";
import { useSession } from "../state/session";
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
      <PopoverPanel role="region" aria-label="Symmetry" anchor="bottom end" className="card z-20 w-64 p-3 shadow-lg [--anchor-gap:8px]">
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
        <Center />
        <p className="mt-2 text-ink-2">A red ring marks a place where the model has no match; nothing is painted there.</p>
      </PopoverPanel>
    </Popover>
  );
}

/** The point that planes and axis go through. */
function Center() {
  const mirror = useDesk((desk) => desk.mirror);
  const middle = useSession((session) => session.modelMiddle);
  const size = useSession((session) => session.modelSize);
  const center = mirror.center as [number, number, number];
  const put = (next: [number, number, number]) => useDesk.setState({ mirror: { ...mirror, center: next } });
  // As many digits as count on a model of this size.
  const digits = Math.max(0, 3 - Math.floor(Math.log10(size)));
  const round = (value: number) => Number(value.toFixed(Math.min(digits, 12)));
  const at = (point: readonly number[]) => point.every((value, i) => Math.abs(value - center[i]!) < 1e-6 * size);
  const button = (text: string, title: string, point: [number, number, number]) => (
    <button
      type="button" title={title} aria-pressed={at(point)} onClick={() => put(point)}
      className={`h-7 grow rounded-control px-2 ${at(point) ? "bg-accent-soft" : "bg-fog-2 hover:bg-fog-3"}`}
    >
      {text}
    </button>
  );
  return (
    <>
      <p className="mt-2.5 font-semibold text-ink-2">Through</p>
      <div className="mt-1 flex gap-1.5">
        {button("Origin", "The model's own zero", [0, 0, 0])}
        {button("Middle", "The middle of the model's box", middle)}
      </div>
      <div className="mt-1.5 flex justify-between">
        {AXES.map(({ text }, i) => (
          <NumberField key={text} label={text} value={round(center[i]!)} min={-1e9} max={1e9} onChange={(value) => put(center.map((old, k) => (k === i ? value : old)) as [number, number, number])} />
        ))}
      </div>
    </>
  );
}
