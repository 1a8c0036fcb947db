import { IconX } from "@tabler/icons-react";
import { useEffect, useState } from "react";

import { keepPresets, listPresets } from "../api/rest";
import type { Preset } from "../api/schema.generated";
import { useDesk } from "../state/desk";
import type { Project } from "../state/project";
import { useSession } from "../state/session";
import { TipPicture } from "./tip_picture";

/** Tips under a name, with all their settings; the same in every project. */
export function Presets({ project }: { project: Project }) {
  const [presets, setPresets] = useState<Preset[]>([]);
  const [name, setName] = useState("");
  const [withPigment, setWithPigment] = useState(false);
  useEffect(() => {
    let current = true;
    listPresets().then((found) => current && setPresets(found), () => undefined);
    return () => {
      current = false;
    };
  }, []);
  const keep = (next: Preset[]) => {
    setPresets(next);
    keepPresets(next).catch((error: Error) => useSession.setState({ notice: error.message }));
  };
  const add = () => {
    const { tip, pigment } = useDesk.getState();
    const title = name.trim();
    if (!title) return;
    const preset: Preset = { name: title, tip, pigment: withPigment ? pigment : null };
    keep([...presets.filter((other) => other.name !== title), preset]);
    setName("");
  };
  const use = ({ tip, pigment }: Preset) => useDesk.setState(pigment ? { tip, pigment } : { tip });
  return (
    <div className="mt-3 border-t border-fog-3 pt-2">
      <h3 className="mb-1 font-semibold text-ink-2">Presets, shared between projects</h3>
      <div className="flex flex-wrap gap-1.5">
        {presets.map((preset) => (
          <span key={preset.name} className="flex items-center rounded-control bg-fog-2">
            <button type="button" title={preset.pigment ? "Tip and pigment" : "Tip"} onClick={() => use(preset)} className="flex h-7 items-center gap-1.5 rounded-control pr-2.5 pl-0.5 hover:bg-fog-3">
              <span className="size-6">
                <TipPicture tip={preset.tip} project={project} />
              </span>
              {preset.name}
            </button>
            <button type="button" aria-label={`Forget ${preset.name}`} title="Forget" onClick={() => keep(presets.filter((other) => other !== preset))} className="grid size-7 place-items-center rounded-control text-ink-2 hover:bg-fog-3">
              <IconX size={13} />
            </button>
          </span>
        ))}
      </div>
      <form
        className="mt-1.5 flex items-center gap-1.5"
        onSubmit={(event) => {
          event.preventDefault();
          add();
        }}
      >
        <input aria-label="Name of the preset" placeholder="Name" value={name} maxLength={60} onChange={(event) => setName(event.target.value)} className="h-7 w-44 rounded-control bg-fog-2 px-2" />
        <label className="flex items-center gap-1.5">
          <input type="checkbox" checked={withPigment} onChange={(event) => setWithPigment(event.target.checked)} className="size-4 accent-accent" />
          with the pigment
        </label>
        <button type="submit" className="ml-auto h-7 rounded-control bg-accent px-3 font-medium text-fog">
          Keep this tip
        </button>
      </form>
    </div>
  );
}
