import { useState } from "react";

import { useDesk } from "../state/desk";
import { workOn } from "../state/layers";
import type { Project } from "../state/project";
import { surfaceNamed, useSession } from "../state/session";
import { NameField, RenameButton } from "../ui/named";

/** Which surface all this is about, and how large its maps are. */
export function SurfaceChoice({ project }: { project: Project }) {
  const [naming, setNaming] = useState(false);
  const state = useSession((session) => session.state);
  const surface = surfaceNamed(state, useDesk((desk) => desk.surface));
  if (!state || !surface) return null;
  return (
    <div className="flex items-center gap-1 p-3 pr-2 pb-2">
      {naming ? (
        <NameField
          name={surface.name} of={surface.name} onDone={() => setNaming(false)}
          onRename={(name) => project.send({ type: "rename_surface", surface: surface.name, name })}
        />
      ) : (
      <label className="flex h-8 min-w-0 grow items-center gap-2 rounded-control bg-fog-2 px-2.5">
        <span className="sr-only">Surface</span>
        <select
          value={surface.name}
          onChange={(event) => workOn(event.target.value)}
          className="min-w-0 grow bg-transparent font-semibold"
        >
          {state.surfaces.map(({ name }) => (
            <option key={name}>{name}</option>
          ))}
        </select>
        <span className="shrink-0 text-ink-2">
          {surface.width} × {surface.height}
        </span>
      </label>
      )}
      <RenameButton of={surface.name} onClick={() => setNaming(true)} />
    </div>
  );
}
