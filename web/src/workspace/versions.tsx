import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { IconSeparatorVertical, IconStack2 } from "@tabler/icons-react";
import { useState } from "react";

import type { Version } from "../api/schema.generated";
import type { Project } from "../state/project";
import { useSession } from "../state/session";
import { compareWith } from "../state/wipe";

/** The order in which paint is usually built up. */
const STAGES = ["Base colors", "Base detail", "Fine detail", "Edges"];

/** The whole document kept under names, and the way back to each. */
export function Versions({ project }: { project: Project }) {
  const versions = useSession((session) => session.state?.versions) ?? [];
  return (
    <Popover>
      <PopoverButton title="Versions: keep the whole project as it is, and go back to it" className="flex h-8 items-center gap-1.5 rounded-control px-2 hover:bg-fog-2">
        <IconStack2 size={17} stroke={1.7} />
        <span className="max-[1180px]:hidden">Versions</span>
      </PopoverButton>
      <PopoverPanel role="region" aria-label="Versions" anchor="bottom end" className="card z-20 flex max-h-[70vh] w-96 flex-col p-3 shadow-lg [--anchor-gap:8px]">
        <Keep project={project} taken={versions.map(({ name }) => name)} />
        <ul className="mt-2 min-h-0 overflow-y-auto">
          {[...versions].reverse().map((version) => (
            <Row key={version.id} version={version} project={project} />
          ))}
        </ul>
        {!versions.length && <p className="text-ink-2">None yet. A version costs next to nothing: it shares all paint that stays as it is.</p>}
      </PopoverPanel>
    </Popover>
  );
}

function Keep({ project, taken }: { project: Project; taken: string[] }) {
  const suggested = STAGES.find((stage) => !taken.includes(stage)) ?? "";
  const [typed, setTyped] = useState<string | null>(null);
  const name = (typed ?? suggested).trim();
  return (
    <form
      className="flex gap-1.5"
      onSubmit={(event) => {
        event.preventDefault();
        project.send({ type: "keep_version", name: name || null });
        setTyped(null);
      }}
    >
      <input
        aria-label="Name of the version" placeholder="Name" value={typed ?? suggested} maxLength={80}
        onChange={(event) => setTyped(event.target.value)}
        className="h-8 min-w-0 grow rounded-control bg-fog-2 px-2"
      />
      <button type="submit" className="h-8 shrink-0 rounded-control bg-accent px-3 font-medium text-fog">
        Keep
      </button>
    </form>
  );
}

function Row({ version, project }: { version: Version; project: Project }) {
  const made = new Date(version.made * 1000).toLocaleString(undefined, { dateStyle: "medium", timeStyle: "short" });
  return (
    <li className="flex items-center gap-2 border-t border-fog-3 py-2 first:border-0">
      <img alt="" src={`/api/projects/${project.id}/versions/${version.id}/picture`} className="h-12 w-16 shrink-0 rounded-[6px] object-cover" />
      <div className="min-w-0 grow">
        <span title={version.name} className="block truncate font-semibold">{version.name}</span>
        <div className="flex items-center gap-1">
          <span className="min-w-0 grow truncate text-[12px] text-ink-2">{made}</span>
          <button type="button" aria-label={`Compare with ${version.name}`} title="Compare: it stands right of a line that can be dragged" onClick={() => compareWith(version.id)} className="grid size-7 shrink-0 place-items-center rounded-control hover:bg-fog-3">
            <IconSeparatorVertical size={16} stroke={1.7} />
          </button>
          <button type="button" title={`Everything becomes as it was; undo takes it back`} onClick={() => project.send({ type: "restore_version", version: version.id })} className="h-7 shrink-0 rounded-control bg-fog-2 px-2 hover:bg-fog-3">
            Go back
          </button>
          <button type="button" aria-label={`Forget ${version.name}`} title="Forget; undo brings it back" onClick={() => project.send({ type: "forget_version", version: version.id })} className="h-7 shrink-0 rounded-control px-1.5 text-ink-2 hover:bg-fog-3">
            Forget
          </button>
        </div>
      </div>
    </li>
  );
}
