import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";

import type { StartPart } from "../api/schema.generated";
import type { SurfaceState } from "../state/document";
import { useLaid } from "../state/laid";
import type { Project } from "../state/project";
import { ColorField } from "../workspace/color_field";
import { written } from "../workspace/figures";
import { LaidSlider } from "../workspace/laid_slider";

const hex = (color: number[]) =>
  `#${color.map((channel) => Math.round(channel * 255).toString(16).padStart(2, "0")).join("")}`;

const channels = (color: string): [number, number, number] =>
  [1, 3, 5].map((at) => parseInt(color.slice(at, at + 2), 16) / 255) as [number, number, number];

const SHARES = [
  { key: "roughness", label: "Rough", title: "0 is shiny, 1 is rough" },
  { key: "metallic", label: "Metal", title: "0 is no metal, 1 is bare metal" },
  { key: "height", label: "Bump", title: "Below 0 lies deeper than what is level, above higher" },
  { key: "opacity", label: "Solid", title: "0 is a hole, 1 is solid" },
] as const;

/** What a surface shows where nothing is painted. */
export function StartValues({ project, surface }: { project: Project; surface: SurfaceState }) {
  const { start } = surface;
  const edit = (part: Partial<StartPart>) => ({ type: "set_start" as const, surface: surface.name, start: part });
  const [color, lay] = useLaid(hex(start.base_color), project, (next) => edit({ base_color: channels(next) }));
  return (
    <Popover className="relative">
      <PopoverButton title="What shows where nothing is painted" className="flex h-7 items-center gap-1.5 rounded-control bg-fog-2 px-2.5 hover:bg-fog-3">
        <span style={{ background: color }} className="size-4 rounded-full shadow-[inset_0_0_0_1px_rgb(0_0_0/0.18)]" />
        Start
      </PopoverButton>
      <PopoverPanel role="region" aria-label={`Start values of ${surface.name}`} anchor="top start" className="card z-20 w-64 p-3 shadow-lg [--anchor-gap:8px]">
        <p className="mb-1 font-semibold">Where nothing is painted</p>
        <div className="flex h-7 items-center">
          <ColorField label="Start color" color={color} onChange={lay} />
        </div>
        {SHARES.map(({ key, label, title }) => (
          <LaidSlider key={key} label={label} value={start[key] ?? 0.5} {...written(key)} project={project} edit={(value) => edit({ [key]: value })} title={title} />
        ))}
      </PopoverPanel>
    </Popover>
  );
}
