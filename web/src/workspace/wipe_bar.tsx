import { IconX } from "@tabler/icons-react";
import { useRef } from "react";

import { useSession } from "../state/session";
import { stopComparing, useWipe } from "../state/wipe";

const STEP = 0.02;

/** The line between what is there now and a version: dragged, or moved by the arrow keys. */
export function WipeBar() {
  const { version, share, ready } = useWipe();
  const name = useSession((session) => session.state?.versions.find(({ id }) => id === version)?.name);
  const bar = useRef<HTMLDivElement>(null);
  if (!version || name === undefined) return null;
  const move = (to: number) => useWipe.setState({ share: Math.min(Math.max(to, 0), 1) });
  const tag = "card absolute bottom-3 flex h-7 max-w-48 items-center truncate px-2.5 text-[12px]";
  return (
    <div ref={bar} className="pointer-events-none absolute inset-0" data-testid="wipe">
      {!ready && <p className="card absolute bottom-12 left-1/2 -translate-x-1/2 px-3 py-1.5">{name} is being fetched …</p>}
      <div
        role="slider" tabIndex={0} aria-label="Wipe between now and the version" aria-valuemin={0} aria-valuemax={100} aria-valuenow={Math.round(100 * share)}
        className="pointer-events-auto absolute top-11 bottom-0 -ml-3.5 w-7 cursor-ew-resize touch-none outline-offset-[-4px]"
        style={{ left: `${100 * share}%` }}
        onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
        onPointerMove={(event) => {
          if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
          const box = bar.current!.getBoundingClientRect();
          move((event.clientX - box.x) / box.width);
        }}
        onKeyDown={(event) => {
          const by = { ArrowLeft: -STEP, ArrowRight: STEP }[event.key];
          if (by === undefined) return;
          event.preventDefault();
          event.stopPropagation();
          move(share + by);
        }}
      >
        <div className="mx-auto h-full w-px bg-fog shadow-[0_0_0_1px_rgb(30_36_34/0.4)]" />
      </div>
      <span className={`${tag} -translate-x-full`} style={{ left: `calc(${100 * share}% - 10px)` }}>
        Now
      </span>
      <span className={`${tag} pointer-events-auto gap-1 pr-0.5`} style={{ left: `calc(${100 * share}% + 10px)` }}>
        <span className="truncate">{name}</span>
        <button type="button" aria-label="Stop comparing" title="Stop comparing" onClick={stopComparing} className="grid size-6 place-items-center rounded-control hover:bg-fog-3">
          <IconX size={13} />
        </button>
      </span>
    </div>
  );
}
