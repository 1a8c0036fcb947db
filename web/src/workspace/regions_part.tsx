import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/react";
import { IconDots, IconFence } from "@tabler/icons-react";

import { tooltip } from "../commands/commands";
import { regionFaces } from "../api/rest";
import type { Region } from "../api/schema.generated";
import { type Desk, fenceNow, useDesk } from "../state/desk";
import { pickedRuns, pickRuns, usePicks } from "../state/picks";
import type { Project } from "../state/project";
import { say, useSession } from "../state/session";
import { Named } from "../ui/named";

const TOUCHES: [NonNullable<Desk["touchFence"]> | "", string][] = [
  ["", "anywhere"],
  ["face", "the face touched first"],
  ["patch", "the patch touched first"],
  ["island", "the island touched first"],
  ["part", "the part touched first"],
  ["surface", "the surface touched first"],
];

/** Regions under names; one of them can be the fence that all paint is kept inside. */
export function RegionsPart({ project }: { project: Project }) {
  const regions = useSession((session) => session.state?.regions) ?? [];
  const desk = useDesk();
  const { touchFence } = desk;
  const fence = regions.find(({ id }) => id === fenceNow(desk));
  return (
    <div className="border-t border-fog-3 px-3 py-1.5" role="group" aria-label="Regions">
      <label className="flex h-7 items-center gap-1.5">
        <span className="shrink-0 font-semibold text-ink-2">Paint goes</span>
        <select
          value={touchFence ?? ""}
          onChange={(event) => useDesk.setState({ touchFence: (event.target.value || null) as Desk["touchFence"] })}
          className="h-6 min-w-0 grow rounded-control bg-fog-2 px-1"
        >
          {TOUCHES.map(([value, text]) => (
            <option key={value} value={value}>{value || !fence ? text : `anywhere in ${fence.name}`}</option>
          ))}
        </select>
      </label>
      <ul className="max-h-28 overflow-y-auto">
        {regions.map((region) => (
          <RegionRow key={region.id} region={region} project={project} />
        ))}
      </ul>
      {!regions.length && (
        <button type="button" title={tooltip("pickTool")} onClick={() => useDesk.setState({ tool: "pick" })} className="h-6 truncate text-left text-ink-2 hover:text-ink hover:underline">
          No regions yet: pick some faces …
        </button>
      )}
    </div>
  );
}

function RegionRow({ region, project }: { region: Region; project: Project }) {
  const fenced = useDesk((desk) => desk.fenceOn && desk.fence === region.id);
  const { count } = usePicks();
  const { id } = region;
  const withFaces = (make: (faces: [number, number][]) => [number, number][]) =>
    void regionFaces(project.id, id)
      .then((faces) => project.send({ type: "change_region", region: id, faces: make(faces) }))
      .catch((error: Error) => say(error.message));
  const picked = () => pickedRuns() ?? [];
  const items: [string, () => void][] = [
    ["Pick its faces", () => void regionFaces(project.id, id).then(pickRuns).then(() => useDesk.setState({ tool: "pick" }))],
    ["Grow", () => project.send({ type: "turn_region", region: id, how: "grow" })],
    ["Shrink", () => project.send({ type: "turn_region", region: id, how: "shrink" })],
    ["Turn inside out", () => project.send({ type: "turn_region", region: id, how: "invert" })],
    ...(count
      ? ([
          ["Add the picked faces", () => withFaces((faces) => [...faces, ...picked()])],
          ["Take the picked faces away", () => withFaces((faces) => without(faces, picked()))],
          ["Become the picked faces", () => project.send({ type: "change_region", region: id, faces: picked() })],
        ] as [string, () => void][])
      : []),
    ["Forget the region", () => project.send({ type: "remove_region", region: id })],
  ];
  return (
    <li className="flex h-7 items-center gap-1.5">
      <span className="size-2.5 shrink-0 rounded-full" style={{ background: region.color }} />
      <span className="flex min-w-0 grow">
        <Named name={region.name} of="the region" onRename={(name) => project.send({ type: "change_region", region: id, name })} />
      </span>
      <button
        type="button" aria-pressed={fenced} aria-label={`Fence: ${region.name}`}
        title={fenced ? `Lift the fence (${tooltip("fence")})` : `Keep all paint inside ${region.name}`}
        onClick={() => useDesk.setState(fenced ? { fenceOn: false } : { fence: id, fenceOn: true })}
        className={`grid size-7 shrink-0 place-items-center rounded-control ${fenced ? "bg-accent text-fog" : "text-ink-2 hover:bg-fog-3"}`}
      >
        <IconFence size={16} stroke={1.7} />
      </button>
      <Menu>
        <MenuButton aria-label={`What else for ${region.name}`} className="grid size-7 shrink-0 place-items-center rounded-control text-ink-2 hover:bg-fog-3">
          <IconDots size={15} />
        </MenuButton>
        <MenuItems anchor="right end" className="card z-20 w-52 p-1 outline-none">
          {items.map(([text, act]) => (
            <MenuItem key={text}>
              <button type="button" onClick={act} className="flex h-8 w-full items-center rounded-control px-2.5 text-left data-focus:bg-fog-2">
                {text}
              </button>
            </MenuItem>
          ))}
        </MenuItems>
      </Menu>
    </li>
  );
}

/** Runs without those of others. */
function without(faces: [number, number][], gone: [number, number][]): [number, number][] {
  let left = faces;
  for (const [first, end] of gone) {
    left = left.flatMap(([a, b]): [number, number][] => {
      const parts: [number, number][] = [[a, Math.min(b, first)], [Math.max(a, end), b]];
      return b <= first || a >= end ? [[a, b]] : parts.filter(([x, y]) => x < y);
    });
  }
  return left;
}
