import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useState } from "react";

import { pickedRuns, usePicks } from "../state/picks";
import type { Project } from "../state/project";
import { useSession } from "../state/session";

/** Picked faces go to another surface, or become one of their own; their paint goes along. */
export function AssignFaces({ project }: { project: Project }) {
  const state = useSession((session) => session.state);
  const count = usePicks((picks) => picks.polygons);
  const [name, setName] = useState("");
  const assign = (surface: string | null, close: () => void) => {
    const faces = pickedRuns();
    if (faces) project.send({ type: "assign_faces", faces, surface, name: name.trim() || "surface" });
    close();
  };
  return (
    <Popover className="relative">
      <PopoverButton
        disabled={!count}
        title="Give the picked faces to another or a new surface"
        className="h-7 rounded-control bg-fog-2 px-2.5 enabled:hover:bg-fog-3 disabled:opacity-45"
      >
        Assign faces
      </PopoverButton>
      <PopoverPanel role="region" aria-label="Where the faces go" anchor="top start" className="card z-20 w-60 p-3 shadow-lg [--anchor-gap:8px]">
        {({ close }) => (
          <>
            <p className="font-semibold">{count === 1 ? "The picked face" : `${count.toLocaleString("en")} picked faces`} to</p>
            <ul className="max-h-64 overflow-y-auto [scrollbar-width:thin]">
              {state?.surfaces.map(({ name }) => (
                <li key={name}>
                  <button
                    type="button"
                    onClick={() => assign(name, close)}
                    className="block h-8 w-full truncate rounded-control px-2 text-left hover:bg-fog-2"
                  >
                    {name}
                  </button>
                </li>
              ))}
            </ul>
            <form
              className="mt-1.5 flex gap-1.5"
              onSubmit={(event) => {
                event.preventDefault();
                assign(null, close);
              }}
            >
              <input
                aria-label="Name of the new surface"
                placeholder="New surface"
                value={name}
                maxLength={80}
                onChange={(event) => setName(event.target.value)}
                className="h-8 min-w-0 grow rounded-control bg-fog-2 px-2"
              />
              <button type="submit" className="h-8 rounded-control bg-accent px-2.5 font-medium text-fog">
                Make
              </button>
            </form>
          </>
        )}
      </PopoverPanel>
    </Popover>
  );
}
