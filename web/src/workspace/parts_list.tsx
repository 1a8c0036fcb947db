import { IconEye, IconEyeOff, IconX } from "@tabler/icons-react";

import type { Project } from "../state/project";
import { useSession } from "../state/session";
import { Named } from "../ui/named";

/** The model's parts under their names, each with a switch that hides it. */
export function PartsList({ project }: { project: Project }) {
  const state = useSession((session) => session.state);
  if (!state?.mesh) return null;
  const hidden = new Set(state.hidden_parts);
  const everything = state.mesh.parts.map((_, part) => part);
  /** Alone: only this part is shown or, where it is alone already, all of them again. */
  const toggle = (part: number, alone: boolean) => {
    const others = everything.filter((other) => other !== part);
    const isolated = !hidden.has(part) && hidden.size === others.length;
    const flipped = hidden.has(part) ? [...hidden].filter((other) => other !== part) : [...hidden, part];
    project.send({ type: "hide_parts", parts: alone ? (isolated ? [] : others) : flipped });
  };
  return (
    <ul className="-mx-1 px-1 pt-0.5">
      {state.mesh.parts.map((name, part) => {
        const Eye = hidden.has(part) ? IconEyeOff : IconEye;
        return (
          <li key={part} className="flex h-8 items-center justify-between">
            <Named
              name={name} of={name} className={hidden.has(part) ? "text-ink-2 opacity-60" : ""}
              onRename={(next) => project.send({ type: "rename_part", part, name: next })}
            />
            <button
              type="button"
              aria-label={`${hidden.has(part) ? "Show" : "Hide"} ${name}`}
              title={`${hidden.has(part) ? "Show" : "Hide: not shown, not picked, not painted on"}. With Alt only this part stays, with Alt again all come back`}
              onClick={(event) => toggle(part, event.altKey)}
              className="grid size-7 shrink-0 place-items-center rounded-control text-ink-2 hover:bg-fog-2"
            >
              <Eye size={16} stroke={1.7} />
            </button>
          </li>
        );
      })}
    </ul>
  );
}

/** How many parts are hidden; a click shows them again. */
export function HiddenChip({ project }: { project: Project }) {
  const count = useSession((session) => session.state?.hidden_parts.length ?? 0);
  if (!count) return null;
  return (
    <button
      type="button" title={`${count === 1 ? "A part is" : `${count} parts are`} hidden and not painted on; a click shows all`}
      onClick={() => project.send({ type: "hide_parts", parts: [] })}
      className="flex h-6 shrink-0 items-center gap-1 rounded-full bg-accent px-2 text-[12px] text-fog"
    >
      <IconEyeOff size={13} stroke={1.8} />
      {count} hidden
      <IconX size={11} />
    </button>
  );
}
