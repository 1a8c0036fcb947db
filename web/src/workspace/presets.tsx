import { useEffect, useState } from "react";

import { arrangePresets, dropPreset, keepPreset, keptBy, loadPresets, takePreset, usePresets } from "../state/presets";
import type { Preset } from "../api/schema.generated";
import type { Project } from "../state/project";
import { sayBriefly } from "../state/notices";
import { say } from "../state/session";
import { KeepUnderName } from "../ui/keep_under_name";
import { useReorder } from "../ui/reorder";
import { TipPicture } from "./tip_picture";

/** Presets at hand, in an order of the painter's own: a click or Alt and a digit takes one; right click forgets it. */
export function Presets({ project }: { project: Project }) {
  const presets = usePresets((shelf) => shelf.presets);
  useEffect(loadPresets, []);
  const reorder = useReorder(presets ?? [], arrangePresets, forget);
  return (
    <div role="group" aria-label="Presets" className="mt-0.5 flex h-7 items-center gap-1 overflow-x-auto [scrollbar-width:none]">
      <KeepPreset project={project} />
      {presets?.length === 0 && <span className="truncate text-ink-2">Keep this tip as a preset</span>}
      {presets?.map((preset, i) => (
        <button
          key={preset.name}
          type="button"
          title={`${preset.name}: keeps ${keptBy(preset)}${i < 9 ? ` (Alt+${i + 1})` : ""}; dragged, or Shift and an arrow key, to another place; right click or Delete forgets it`}
          aria-label={preset.name}
          onClick={() => void takePreset(project.id, preset)}
          {...reorder(i)}
          className="size-7 shrink-0 overflow-hidden rounded-control hover:outline-2 hover:outline-fog-4 hover:-outline-offset-2"
        >
          <TipPicture tip={preset.tip} project={project} data={preset.picture ?? null} color={preset.pigment?.base_color ?? null} />
        </button>
      ))}
    </div>
  );
}

function forget(preset: Preset): void {
  sayBriefly(`${preset.name} is forgotten.`, "Bring it back", dropPreset(preset));
}

/** The tip at hand under a name, with what belongs to it. */
function KeepPreset({ project }: { project: Project }) {
  const [withTool, setWithTool] = useState(true);
  const [withPigment, setWithPigment] = useState(false);
  const check = (text: string, on: boolean, set: (on: boolean) => void) => (
    <label className="mt-1 flex h-7 items-center gap-1.5">
      <input type="checkbox" checked={on} onChange={(event) => set(event.target.checked)} className="size-4 accent-accent" />
      {text}
    </label>
  );
  return (
    <KeepUnderName
      what="the preset" button="Keep a preset" title="Keep this tip as a preset, for all projects" card="A new preset"
      sentence="Keeps the tip with its picture and blend mode, in every project." submit="Keep this tip" maxLength={60}
      onKeep={(name) => void keepPreset(project.id, name, withTool, withPigment).catch((error: Error) => say(error.message))}
    >
      {check("with the tool", withTool, setWithTool)}
      {check("with the pigment", withPigment, setWithPigment)}
    </KeepUnderName>
  );
}
