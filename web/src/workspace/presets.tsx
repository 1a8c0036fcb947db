import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { IconPlus } from "@tabler/icons-react";
import { useEffect, useState } from "react";

import { dropPreset, keepPreset, keptBy, loadPresets, takePreset, usePresets } from "../state/presets";
import type { Preset } from "../api/schema.generated";
import type { Project } from "../state/project";
import { say } from "../state/session";
import { TipPicture } from "./tip_picture";

/** Presets at hand: a click or Alt and a digit takes one; right click forgets it. */
export function Presets({ project }: { project: Project }) {
  const presets = usePresets((shelf) => shelf.presets);
  useEffect(loadPresets, []);
  return (
    <div role="group" aria-label="Presets" className="mt-0.5 flex h-7 items-center gap-1 overflow-x-auto [scrollbar-width:none]">
      <KeepPreset project={project} />
      {presets?.length === 0 && <span className="truncate text-ink-2">Keep this tip as a preset</span>}
      {presets?.map((preset, i) => (
        <button
          key={preset.name}
          type="button"
          title={`${preset.name}: keeps ${keptBy(preset)}${i < 9 ? ` (Alt+${i + 1})` : ""}; right click forgets it`}
          aria-label={preset.name}
          onClick={() => void takePreset(project.id, preset)}
          onContextMenu={(event) => {
            event.preventDefault();
            forget(preset);
          }}
          className="size-7 shrink-0 overflow-hidden rounded-control hover:outline-2 hover:outline-fog-4 hover:-outline-offset-2"
        >
          <TipPicture tip={preset.tip} project={project} data={preset.picture ?? null} />
        </button>
      ))}
    </div>
  );
}

function forget(preset: Preset): void {
  say(`${preset.name} is forgotten.`, "Bring it back", dropPreset(preset));
}

/** The tip at hand under a name, with what belongs to it. */
function KeepPreset({ project }: { project: Project }) {
  const [name, setName] = useState("");
  const [withTool, setWithTool] = useState(true);
  const [withPigment, setWithPigment] = useState(false);
  const title = name.trim();
  const check = (text: string, on: boolean, set: (on: boolean) => void) => (
    <label className="mt-1 flex h-7 items-center gap-1.5">
      <input type="checkbox" checked={on} onChange={(event) => set(event.target.checked)} className="size-4 accent-accent" />
      {text}
    </label>
  );
  return (
    <Popover className="shrink-0">
      <PopoverButton title="Keep this tip as a preset, for all projects" aria-label="Keep a preset" className="grid size-7 place-items-center rounded-control bg-fog-2 text-ink-2 hover:bg-fog-3">
        <IconPlus size={14} />
      </PopoverButton>
      <PopoverPanel role="region" aria-label="A new preset" anchor="top start" className="card z-20 w-60 p-3 shadow-lg [--anchor-gap:8px]">
        {({ close }) => (
          <form
            onSubmit={(event) => {
              event.preventDefault();
              if (!title) return;
              keepPreset(project.id, title, withTool, withPigment).catch((error: Error) => say(error.message));
              setName("");
              close();
            }}
          >
            <p className="text-ink-2">Keeps the tip with its picture and blend mode, in every project.</p>
            <input aria-label="Name of the preset" placeholder="Name" value={name} maxLength={60} onChange={(event) => setName(event.target.value)} className="mt-2 h-7 w-full rounded-control bg-fog-2 px-2" />
            {check("with the tool", withTool, setWithTool)}
            {check("with the pigment", withPigment, setWithPigment)}
            <button type="submit" disabled={!title} className="mt-2 h-7 w-full rounded-control bg-accent font-medium text-fog disabled:opacity-45">
              Keep this tip
            </button>
          </form>
        )}
      </PopoverPanel>
    </Popover>
  );
}
