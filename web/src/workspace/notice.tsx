import { IconX } from "@tabler/icons-react";

import { useSession } from "../state/session";

/** Sentences for the painter, over the stage: what was refused, or that the connection is lost. */
export function Notice() {
  const notice = useSession((session) => session.notice);
  const connected = useSession((session) => session.connected);
  const loaded = useSession((session) => session.state !== null);
  const lost = loaded && !connected ? "The connection is lost. It comes back by itself; what was kept is safe." : null;
  const text = lost ?? (loaded ? notice : null);
  const offer = useSession((session) => (session.offer?.notice === text ? session.offer : null));
  if (!text) return null;
  return (
    <div
      role="alert"
      className="card absolute bottom-3 left-1/2 flex max-w-[80%] -translate-x-1/2 items-center gap-2 py-1.5 pr-1.5 pl-4"
    >
      <span className={`max-h-[40vh] overflow-y-auto wrap-anywhere [scrollbar-width:thin] ${lost ? "text-danger" : ""}`}>{text}</span>
      {offer?.acts.map(({ label, act }) => (
        <button
          key={label}
          type="button"
          className="h-7 shrink-0 rounded-control bg-accent px-3 font-medium text-fog"
          onClick={() => {
            useSession.setState({ notice: null });
            act();
          }}
        >
          {label}
        </button>
      ))}
      <button
        type="button"
        aria-label="Dismiss"
        title="Dismiss"
        onClick={() => useSession.setState({ notice: null })}
        className="grid size-7 shrink-0 place-items-center rounded-control text-ink-2 hover:bg-fog-2"
      >
        <IconX size={15} />
      </button>
    </div>
  );
}
