import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { IconBulb } from "@tabler/icons-react";
import type { PointerEvent } from "react";

import { tooltip } from "../commands/commands";
import type { Stage } from "../stage/stage";
import { type Look, setLook, type Shading, type SurroundingsName, useDesk } from "../state/desk";
import { surfaceNamed, useSession } from "../state/session";
import type { Project } from "../state/project";
import { NumberField } from "../ui/number_field";
import { Segmented } from "../ui/segmented";
import { Slider } from "../ui/slider";
import { PartsList } from "./parts_list";
import { Toggle } from "./toggle";

const SHADINGS: { value: Shading; text: string; hint: string }[] = [
  { value: "lit", text: "Lit", hint: "Under light" },
  { value: "matte", text: "Matte", hint: "Color without shine" },
  { value: "plain", text: "Plain", hint: "The stored colors, without light" },
  { value: "clay", text: "Clay", hint: "The shape without paint" },
  { value: "wire", text: "Wire", hint: "The faces' edges alone" },
];
/** So many of them stand over the stage. */
const AT_HAND = 3;
const MAPS: { value: Shading; text: string; hint?: string }[] = [
  { value: "base_color", text: "Color" },
  { value: "roughness", text: "Rough" },
  { value: "metallic", text: "Metal" },
  { value: "height", text: "Height" },
  { value: "normal", text: "Normal" },
  { value: "opacity", text: "Solid", hint: "White is there, black is a hole" },
  { value: "red", text: "Red", hint: "Of the color" },
  { value: "green", text: "Green", hint: "Of the color" },
  { value: "blue", text: "Blue", hint: "Of the color" },
];
const SKIES: { value: SurroundingsName; text: string; hint: string }[] = [
  { value: "quay", text: "Quay", hint: "An overcast quay" },
  { value: "workshop", text: "Workshop", hint: "Under long lamps" },
  { value: "noon", text: "Noon", hint: "Clear sky, hard sun" },
  { value: "dusk", text: "Dusk", hint: "Low warm light" },
];

/** How model and map are shown: shading at hand where there is room, the rest behind a button. */
export function LookControl({ stage, project, atHand }: { stage: Stage; project: Project; atHand: boolean }) {
  const look = useDesk((desk) => desk.look);
  const several = useSession((session) => (session.state?.mesh?.parts.length ?? 0) > 1);
  return (
    <>
      {atHand && (
        <div className="hidden @min-[620px]:block">
          <Segmented label="Shading" options={SHADINGS.slice(0, AT_HAND)} value={look.shading} onChange={(shading) => setLook({ shading })} />
        </div>
      )}
      <Popover className="relative">
        <PopoverButton title="One map alone, surroundings, light, edges, parts" aria-label="Light and view" className="grid size-7 place-items-center rounded-control text-ink-2 hover:bg-fog-2">
          <IconBulb size={17} stroke={1.7} />
        </PopoverButton>
        <PopoverPanel role="region" aria-label="Shading, surroundings, light" anchor="bottom end" className="card z-20 w-80 p-3.5 shadow-lg [--anchor-gap:8px]">
          <p className="font-semibold text-ink-2">Shading</p>
          <div className="-ml-1">
            <Segmented label="All shadings" options={SHADINGS} value={look.shading} onChange={(shading) => setLook({ shading })} />
          </div>
          <p className="mt-2 font-semibold text-ink-2">One map alone, as stored</p>
          <div className="-ml-1">
            <Segmented label="One map" options={MAPS} value={look.shading} onChange={(shading) => setLook({ shading })} wraps />
          </div>
          <p className="mt-2 font-semibold text-ink-2">Surroundings</p>
          <div className="-ml-1">
            <Segmented label="Surroundings" options={SKIES} value={look.surroundings} onChange={(surroundings) => setLook({ surroundings })} />
          </div>
          <Slider label="Turned" value={look.turn} min={-180} max={180} show={(v) => `${Math.round(v)}°`} onChange={(turn) => setLook({ turn })} />
          <p className="mt-2 font-semibold text-ink-2">Light</p>
          <LightBall light={look.light} />
          <p className="mt-2 font-semibold text-ink-2">Surface</p>
          <div className="mt-1 flex gap-1.5">
            <Toggle text="Edges" on={look.edges} onChange={(edges) => setLook({ edges })} what="Show the faces' edges" />
            <Toggle text="Faceted" on={look.faceted} onChange={(faceted) => setLook({ faceted })} what="Flat faces instead of smooth ones" />
          </div>
          <Relief project={project} />
          {several && (
            <>
              <p className="mt-2 font-semibold text-ink-2">Parts</p>
              <div className="max-h-24 overflow-y-auto">
                <PartsList project={project} />
              </div>
            </>
          )}
          <div className="mt-1.5 flex items-center justify-between">
            <NumberField label="Seen from" value={Number(stage.model.orbit.standing.toPrecision(3))} min={0.001} max={1e6} unit="units" title="Stand at the distance of use" onChange={(distance) => stage.stand(distance)} />
            <button type="button" title={tooltip("faceOn")} onClick={() => stage.faceOn()} className="h-7 rounded-control bg-fog-2 px-2.5 hover:bg-fog-3">
              Face on
            </button>
          </div>
        </PopoverPanel>
      </Popover>
    </>
  );
}

/** Drag on the ball: the light comes from there. */
function LightBall({ light }: { light: Look["light"] }) {
  const drag = (event: PointerEvent<HTMLDivElement>) => {
    if (!event.buttons) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    const box = event.currentTarget.getBoundingClientRect();
    const [x, y] = [((event.clientX - box.x) / box.width) * 2 - 1, 1 - ((event.clientY - box.y) / box.height) * 2];
    const far = Math.max(1, Math.hypot(x, y) / 0.97);
    setLook({ light: { ...light, x: x / far, y: y / far } });
  };
  return (
    <div className="mt-1 flex items-center gap-3">
      <div
        role="slider" aria-label="Direction of the light" aria-valuenow={Math.round(light.x * 100)} tabIndex={0}
        onPointerDown={drag} onPointerMove={drag}
        className="relative size-14 shrink-0 touch-none rounded-full"
        style={{ background: `radial-gradient(circle at ${50 + light.x * 50}% ${50 - light.y * 50}%, #fff, #8b8f8e 70%)` }}
      />
      <div className="min-w-0 grow">
        <Slider label="Strength" value={light.strength} min={0} max={4} show={(v) => v.toFixed(1)} onChange={(strength) => setLook({ light: { ...light, strength } })} />
      </div>
    </div>
  );
}

/** How deep the height of the chosen surface is, in model units. */
function Relief({ project }: { project: Project }) {
  const surface = surfaceNamed(useSession((session) => session.state), useDesk((desk) => desk.surface));
  if (!surface) return null;
  return (
    <div className="mt-2">
      <NumberField
        label={`Relief of ${surface.name}`} value={surface.depth ?? 0.02} min={-1e6} max={1e6} unit="units deep"
        title="Model units from the deepest to the highest; negative digs what was raised"
        onChange={(depth) => project.send({ type: "set_depth", surface: surface.name, depth })}
      />
    </div>
  );
}
