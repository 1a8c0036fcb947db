import {
  IconBrush, IconBucketDroplet, IconColorPicker, IconCopy, IconDroplet, IconEraser, IconFeather, IconGradienter,
  IconPointer, IconRipple,
} from "@tabler/icons-react"; // prettier-ignore

import { COMMANDS, tooltip } from "../commands/commands";
import type { Project } from "../state/project";
import { type Tool, useDesk } from "../state/desk";
import { Part } from "../ui/part";
import { ClickToolOptions } from "./click_tool_options";
import { MaskValuePart } from "./mask_value_part";
import { PalettePart } from "./palette_part";
import { PigmentPart } from "./pigment_part";
import { TipPart } from "./tip_part";

const TOOLS: { value: Tool; Icon: typeof IconBrush }[] = [
  { value: "brush", Icon: IconBrush },
  { value: "erase", Icon: IconEraser },
  { value: "smear", Icon: IconRipple },
  { value: "soften", Icon: IconDroplet },
  { value: "sharpen", Icon: IconFeather },
  { value: "clone", Icon: IconCopy },
  { value: "fill", Icon: IconBucketDroplet },
  { value: "gradient", Icon: IconGradienter },
  { value: "sample", Icon: IconColorPicker },
  { value: "pick", Icon: IconPointer },
];

/** With what: tool, tip, pigment, palette. */
export function Tray({ project }: { project: Project }) {
  const tool = useDesk((desk) => desk.tool);
  const masking = useDesk((desk) => desk.maskTarget !== null);
  const acts = ["fill", "gradient", "sample", "pick"].includes(tool);
  return (
    <div className="card grid h-full overflow-x-auto overflow-y-hidden grid-cols-[minmax(278px,306px)_minmax(270px,440px)_minmax(264px,400px)_minmax(180px,1fr)] divide-x divide-fog-3">
      <Tools />
      {acts ? <ClickToolOptions project={project} /> : <TipPart project={project} />}
      {masking ? <MaskValuePart /> : <PigmentPart />}
      <PalettePart />
    </div>
  );
}

function Tools() {
  const tool = useDesk((desk) => desk.tool);
  return (
    <Part title="Tool">
      <div role="radiogroup" aria-label="Tool" className="mt-1 grid grid-cols-5 gap-1.5">
        {TOOLS.map(({ value, Icon }) => (
          <button
            key={value}
            type="button"
            role="radio"
            aria-checked={tool === value}
            title={tooltip(value === "pick" ? "pickTool" : value)}
            onClick={() => useDesk.setState({ tool: value })}
            className={`flex h-[62px] flex-col items-center justify-center gap-0.5 rounded-control text-[12px] ${
              tool === value ? "bg-ink text-fog" : "bg-fog-2 hover:bg-fog-3"
            }`}
          >
            <Icon size={18} stroke={1.6} />
            {COMMANDS[value === "pick" ? "pickTool" : value].label}
          </button>
        ))}
      </div>
    </Part>
  );
}
