import {
  IconBrush, IconBucketDroplet, IconColorPicker, IconCopy, IconDroplet, IconEraser, IconFeather, IconGradienter,
  IconRipple,
} from "@tabler/icons-react"; // prettier-ignore

import type { Project } from "../state/project";
import { type Tool, useDesk } from "../state/desk";
import { Part } from "../ui/part";
import { ClickToolOptions } from "./click_tool_options";
import { PalettePart } from "./palette_part";
import { PigmentPart } from "./pigment_part";
import { TipPart } from "./tip_part";

const TOOLS: { value: Tool; text: string; hint: string; Icon: typeof IconBrush }[] = [
  { value: "brush", text: "Brush", hint: "Lay pigment on (P); Shift draws straight and goes on from the last stroke", Icon: IconBrush },
  { value: "erase", text: "Erase", hint: "Take paint away (E)", Icon: IconEraser },
  { value: "smear", text: "Smear", hint: "Pull paint along, over seams too (S)", Icon: IconRipple },
  { value: "soften", text: "Soften", hint: "Blur what is there (O)", Icon: IconDroplet },
  { value: "sharpen", text: "Sharpen", hint: "Set edges off again (A)", Icon: IconFeather },
  { value: "clone", text: "Clone", hint: "Paint with what lies elsewhere (C); hold C and click to choose from where", Icon: IconCopy },
  { value: "fill", text: "Fill", hint: "Cover a face, an island, a part … with a click (F)", Icon: IconBucketDroplet },
  { value: "gradient", text: "Gradient", hint: "Drag on the model from the first load to the second (G)", Icon: IconGradienter },
  { value: "sample", text: "Sample", hint: "Take the stored values under the pointer (I, or Ctrl and click)", Icon: IconColorPicker },
];

/** With what: tool, tip, pigment, palette. */
export function Tray({ project }: { project: Project }) {
  const tool = useDesk((desk) => desk.tool);
  const acts = ["fill", "gradient", "sample"].includes(tool);
  return (
    <div className="card grid h-full grid-cols-[306px_minmax(300px,1.05fr)_minmax(300px,1fr)_250px] divide-x divide-fog-3">
      <Tools />
      {acts ? <ClickToolOptions /> : <TipPart project={project} />}
      <PigmentPart />
      <PalettePart />
    </div>
  );
}

function Tools() {
  const tool = useDesk((desk) => desk.tool);
  return (
    <Part title="Tool">
      <div role="radiogroup" aria-label="Tool" className="mt-1 grid grid-cols-5 gap-1">
        {TOOLS.map(({ value, text, hint, Icon }) => (
          <button
            key={value}
            type="button"
            role="radio"
            aria-checked={tool === value}
            title={hint}
            onClick={() => useDesk.setState({ tool: value })}
            className={`flex h-[51px] flex-col items-center justify-center gap-0.5 rounded-control text-[12px] ${
              tool === value ? "bg-ink text-fog" : "bg-fog-2 hover:bg-fog-3"
            }`}
          >
            <Icon size={18} stroke={1.6} />
            {text}
          </button>
        ))}
      </div>
    </Part>
  );
}
