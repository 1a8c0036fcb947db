import { IconContrast, IconEye, IconEyeOff } from "@tabler/icons-react";

import { tooltip } from "../commands/commands";
import { paintMask, useDesk } from "../state/desk";
import type { LayerState } from "../state/document";
import type { Project } from "../state/project";
import { MaskMenu } from "./mask_menu";
import { Segmented } from "../ui/segmented";

const TARGETS: { value: "paint" | "mask"; text: string; hint: string }[] = [
  { value: "paint", text: "Paint", hint: "Strokes go to the layer’s own paint" },
  { value: "mask", text: "Mask", hint: "Strokes show and hide the layer" },
];

/** The chosen layer's mask: none yet, or what is done with it, and whether strokes go to it. */
export function MaskSettings({ layer, project }: { layer: LayerState; project: Project }) {
  const onMask = useDesk((desk) => desk.maskTarget === layer.id);
  const { mask } = layer;
  const node = layer.id;
  if (!mask) {
    const add = (start: number) => {
      project.send({ type: "add_mask", node, start });
      paintMask(node, start);
    };
    const button = "h-7 grow rounded-control bg-fog-2 px-1 whitespace-nowrap hover:bg-fog-3";
    return (
      <div className="mt-1 flex items-center gap-1" title={tooltip("addMask")}>
        <span className="w-[36px] shrink-0 text-ink-2">Mask</span>
        <button type="button" className={button} onClick={() => add(0)} title="A mask that hides the layer: paint it to show it">
          Hides all
        </button>
        <button type="button" className={button} onClick={() => add(1)} title="A mask that shows the layer: paint it to hide it">
          Shows all
        </button>
        <MaskMenu layer={layer} project={project} />
      </div>
    );
  }
  const icon = "grid size-7 shrink-0 place-items-center rounded-control text-ink-2 hover:bg-fog-3";
  return (
    <div className="mt-1 flex items-center">
      <span className="min-w-0 grow">
        <Segmented
          label="Strokes go to" options={TARGETS.map((option) => (layer.kind === "group" && option.value === "paint" ? { ...option, text: "Group" } : option))}
          value={onMask ? "mask" : "paint"} onChange={(to) => project.choose(node, to === "mask")}
        />
      </span>
      <button type="button" className={icon} aria-pressed={mask.on !== false} aria-label="Use the mask" title={mask.on === false ? "Use the mask" : "Do without the mask, for now"} onClick={() => project.send({ type: "change_mask", node, on: mask.on === false })}>
        {mask.on === false ? <IconEyeOff size={16} stroke={1.7} /> : <IconEye size={16} stroke={1.7} />}
      </button>
      <button type="button" className={icon} aria-label="Invert the mask" title="Invert: what was hidden shows" onClick={() => project.send({ type: "invert_mask", node })}>
        <IconContrast size={15} stroke={1.7} />
      </button>
      <MaskMenu layer={layer} project={project} />
    </div>
  );
}
