import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { IconChevronDown } from "@tabler/icons-react";
import { useState } from "react";

import type { DocumentState, SurfaceState } from "../state/document";
import type { Project } from "../state/project";
import { NumberField } from "../ui/number_field";
import { Segmented } from "../ui/segmented";
import { GutterWidth } from "./gutter_width";

const SIDES = [256, 512, 1024, 2048, 4096, 8192];
type Scope = "surface" | "project";
type Shape = "square" | "wide" | "high";
const SHAPES: { value: Shape; text: string }[] = [
  { value: "square", text: "Square" },
  { value: "wide", text: "Wide, 2 : 1" },
  { value: "high", text: "High, 1 : 2" },
];

/** Width and height of a shape whose longer side is given. */
const shaped = (shape: Shape, side: number): [number, number] => [shape === "high" ? side / 2 : side, shape === "wide" ? side / 2 : side];

/** What comes nearest to two sides. */
const shapeOf = (width: number, height: number): Shape => (width >= 1.5 * height ? "wide" : height >= 1.5 * width ? "high" : "square");

interface Props {
  project: Project;
  state: DocumentState;
  surface: SurfaceState;
  /** What all maps of a size take, of so many surfaces. */
  memory: (width: number, height: number, surfaces: number) => string;
}

/** How large maps are: a click on one of a shape, or two sides; for this surface alone or for all of the project. */
export function MapSize({ project, state, surface, memory }: Props) {
  return (
    <Popover className="relative">
      <PopoverButton aria-label={`Map size ${surface.width} × ${surface.height}`} title="Make the maps, or the gutter around islands, larger or smaller" className="flex h-7 items-center gap-1.5 whitespace-nowrap rounded-control bg-fog-2 px-2.5 hover:bg-fog-3">
        {surface.width} × {surface.height}
        <IconChevronDown size={14} />
      </PopoverButton>
      <PopoverPanel role="region" aria-label="Sizes to choose" anchor="top start" className="card z-20 w-72 p-3 shadow-lg [--anchor-gap:8px] [--anchor-padding:8px]">
        {({ close }) => <Sizes project={project} state={state} surface={surface} memory={memory} close={close} />}
      </PopoverPanel>
    </Popover>
  );
}

function Sizes({ project, state, surface, memory, close }: Props & { close: () => void }) {
  const several = state.surfaces.length > 1;
  const [scope, setScope] = useState<Scope>(several && surface.own_size ? "surface" : "project");
  const [shape, setShape] = useState(shapeOf(surface.width, surface.height));
  const [sides, setSides] = useState<[number, number]>([surface.width, surface.height]);
  const [keepDensity, setKeepDensity] = useState(false);
  const followers = state.surfaces.filter(({ own_size }) => !own_size).length;
  const set = (width: number, height: number) => {
    project.send({ type: "resize", surface: scope === "surface" ? surface.name : null, width, height, keep_density: keepDensity });
    close();
  };
  const maps = scope === "surface" ? 1 : followers;
  const step = (value: number) => Math.max(64, Math.round(value / 64) * 64);
  const side = (label: string, at: 0 | 1) => (
    <NumberField
      label={label}
      value={sides[at]}
      min={64}
      max={8192}
      onChange={(value) => setSides(at ? [sides[0], step(value)] : [step(value), sides[1]])}
    />
  );
  return (
    <>
      {several && (
        <Segmented
          label="For"
          wraps
          value={scope}
          onChange={setScope}
          options={[
            { value: "surface", text: `${surface.name} only`, hint: "An exception from the project's size" },
            { value: "project", text: "All of the project", hint: `${followers} of ${state.surfaces.length} surfaces; those with a size of their own keep it` },
          ]}
        />
      )}
      <label className="mt-2 flex items-center gap-1.5">
        <input type="checkbox" checked={keepDensity} onChange={(event) => setKeepDensity(event.target.checked)} />
        Keep density
      </label>
      <p className="text-ink-2">
        {keepDensity
          ? "Islands keep their pixels: a larger map has room for more of them."
          : "Islands keep their share of the map: twice the side is twice the detail."}
      </p>
      <div className="mt-2">
        <Segmented label="Shape" value={shape} onChange={setShape} options={SHAPES} />
      </div>
      <div className="mt-1 grid grid-cols-3 gap-1.5">
        {SIDES.map((longer) => {
          const [width, height] = shaped(shape, longer);
          const takes = memory(width, height, maps);
          return (
            <button
              key={longer}
              type="button"
              aria-pressed={surface.width === width && surface.height === height}
              onClick={() => set(width, height)}
              title={`${width} × ${height}, ${takes}${maps > 1 ? ` for ${maps} surfaces` : ""}`}
              className="rounded-control bg-fog-2 py-1 text-center hover:bg-fog-3 aria-pressed:bg-accent-soft"
            >
              <span className="block font-medium">{shape === "square" ? longer : `${width} × ${height}`}</span>
              <span className="block text-ink-2">{takes}</span>
            </button>
          );
        })}
      </div>
      <div className="mt-2 flex items-center gap-1.5">
        {side("Wide", 0)} {side("High", 1)}
        <button type="button" onClick={() => set(...sides)} className="h-7 rounded-control bg-fog-2 px-2.5 hover:bg-fog-3">
          Set
        </button>
      </div>
      <p className="mt-1 text-ink-2">Any multiple of 64; powers of two travel best.</p>
      {surface.own_size && (
        <button
          type="button"
          onClick={() => {
            project.send({ type: "follow_project_size", surface: surface.name });
            close();
          }}
          className="mt-2 h-7 rounded-control px-1 text-ink-2 underline"
        >
          Follow the project, {state.size[0]} × {state.size[1]}
        </button>
      )}
      <GutterWidth
        gutter={surface.gutter}
        onChange={(texels) => project.send({ type: "set_gutter", surface: scope === "surface" ? surface.name : null, texels })}
      />
    </>
  );
}
