import { useDesk } from "../state/desk";
import { surfaceNamed, useSession } from "../state/session";

/** Which surface all this is about, and how large its maps are. */
export function SurfaceChoice() {
  const state = useSession((session) => session.state);
  const surface = surfaceNamed(state, useDesk((desk) => desk.surface));
  if (!state || !surface) return null;
  return (
    <div className="p-3 pb-2">
      <label className="flex h-8 items-center gap-2 rounded-control bg-fog-2 px-2.5">
        <span className="sr-only">Surface</span>
        <select
          value={surface.name}
          onChange={(event) => useDesk.setState({ surface: event.target.value })}
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
    </div>
  );
}
