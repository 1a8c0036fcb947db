import { IconFence, IconX } from "@tabler/icons-react";

import { tooltip } from "../commands/commands";
import { useDesk } from "../state/desk";
import { useSession } from "../state/session";

/** What paint is kept inside right now; a click lifts the fence, or puts it back. */
export function FenceChip() {
  const { fence, fenceOn, touchFence } = useDesk();
  const region = useSession((session) => session.state?.regions.find(({ id }) => id === fence));
  const first = touchFence && `first ${touchFence}`;
  if (!region && !first) return null;
  return (
    <span className="flex shrink-0 items-center gap-1">
      {region && (
        <button
          type="button" aria-label={region.name} aria-pressed={fenceOn} title={`${region.name}: ${tooltip("fence")}`} onClick={() => useDesk.setState({ fenceOn: !fenceOn })}
          className={`flex h-6 max-w-40 items-center gap-1 rounded-full px-2 text-[12px] ${fenceOn ? "bg-accent text-fog" : "bg-fog-2 text-ink-2 line-through"}`}
        >
          <IconFence size={13} stroke={1.8} className="shrink-0" />
          <span className="truncate @max-[760px]:hidden">{region.name}</span>
        </button>
      )}
      {first && (
        <span className="flex h-6 items-center rounded-full bg-accent pl-2 text-[12px] text-fog" title="Strokes keep to what they touch first">
          {first}
          <button type="button" aria-label="Put to rest: first touch" onClick={() => useDesk.setState({ touchFence: null })} className="grid size-6 place-items-center rounded-full">
            <IconX size={11} />
          </button>
        </span>
      )}
    </span>
  );
}
