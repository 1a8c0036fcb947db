import { IconArrowsExchange } from "@tabler/icons-react";

import { tooltip } from "../commands/commands";
import { swapLoads, useDesk } from "../state/desk";
import { layerById, useSession } from "../state/session";
import { Part } from "../ui/part";
import { Segmented } from "../ui/segmented";
import { Slider } from "../ui/slider";

const gray = (value: number) => `rgb(${Array(3).fill(Math.round(value * 255)).join(" ")})`;
const ENDS = [
  { value: "1", text: "Show", hint: "Where it is painted the layer shows" },
  { value: "0", text: "Hide", hint: "Where it is painted the layer is hidden" },
];

/** What a brush lays on a mask, and the value to swap it with. */
export function MaskValuePart() {
  const { maskTarget, maskValue, otherMaskValue } = useDesk();
  const layer = layerById(useSession((session) => session.state), maskTarget ?? "");
  const title = (
    <span className="flex grow items-center justify-between">
      Mask of {layer?.name}
      <button type="button" title={tooltip("swap", "Swap with the second value")} aria-label="Swap mask values" onClick={swapLoads} className="flex h-6 items-center gap-1 rounded-control px-1.5 font-normal hover:bg-fog-2">
        <IconArrowsExchange size={15} stroke={1.7} />
        <span className="size-4 rounded-full shadow-[inset_0_0_0_1px_rgb(0_0_0/0.3)]" style={{ background: gray(otherMaskValue) }} />
      </button>
    </span>
  );
  return (
    <Part title={title}>
      <div className="mt-1 flex items-center gap-3">
        <span className="size-9 rounded-control shadow-[inset_0_0_0_1px_rgb(0_0_0/0.3)]" style={{ background: gray(maskValue) }} />
        <Segmented label="The brush" options={ENDS} value={maskValue === 1 ? "1" : maskValue === 0 ? "0" : ("" as "1")} onChange={(value) => useDesk.setState({ maskValue: Number(value) })} />
      </div>
      <Slider label="Shows" value={maskValue} min={0} max={1} show={(value) => `${Math.round(value * 100)}%`} title="How much of the layer shows where it is painted" onChange={(value) => useDesk.setState({ maskValue: value })} />
      <p className="mt-1 text-ink-2">Every tool works on the mask; the layer’s paint stays as it is.</p>
    </Part>
  );
}
