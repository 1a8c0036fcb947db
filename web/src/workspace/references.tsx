import { IconPhotoPlus, IconX } from "@tabler/icons-react";
import { type PointerEvent, useEffect, useRef } from "react";

import { PICTURE_FILES } from "../api/files";
import { referenceAddress } from "../api/rest";
import { type Desk, setReferences, useDesk } from "../state/desk";
import { takeDropped } from "../state/dropped";
import { useHold } from "../state/held";
import { loadReferences, pinReferences, takeOffReference, useReferences } from "../state/references";
import type { Project } from "../state/project";
import { FileInput } from "../ui/file_input";
import { ReferencePicture } from "./reference_picture";

const LEAST = 170;

const within = (value: number, least: number, most: number): number => Math.max(least, Math.min(value, most));

/** Pictures pinned beside the model: looked at, turned over, sampled from; never part of the paint. */
export function References({ project }: { project: Project }) {
  const input = useRef<HTMLInputElement>(null);
  const { shown, chosen, right, bottom, width, height } = useDesk((desk) => desk.references);
  const names = useReferences((references) => references.names);
  useEffect(() => void loadReferences(project.id), [project.id]);
  const grip = useGrip({ right, bottom, width, height });
  if (!shown) return null;
  const name = names.includes(chosen ?? "") ? chosen! : names.at(-1);
  const pin = async (files: File[]) => {
    if (!files.length) return;
    const last = await pinReferences(project.id, files);
    if (last) setReferences({ chosen: last });
  };
  // In a smaller window it keeps its place, but none of it lies outside.
  const inside = (from: number, long: number) => `max(0px, min(${from}px, 100% - ${long}px))`;
  return (
    <section
      aria-label="Reference pictures"
      style={{ right: inside(right, width), bottom: inside(bottom, height), width, height }}
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        takeDropped(event.dataTransfer, pin);
      }}
      className="card absolute flex max-h-full max-w-full flex-col overflow-hidden shadow-lg"
    >
      <div title="Drag to resize" {...grip(sized)} className="absolute top-0 left-0 z-10 size-4 cursor-nwse-resize touch-none" />
      <header {...grip(moved)} className="flex h-8 shrink-0 cursor-move touch-none items-center gap-1 pr-1 pl-4">
        <span className="min-w-0 grow truncate font-semibold">{name ?? "Reference pictures"}</span>
        <button type="button" title="Pin pictures" aria-label="Pin pictures" onClick={() => input.current?.click()} className="grid size-6 place-items-center rounded-control hover:bg-fog-3">
          <IconPhotoPlus size={15} />
        </button>
        <button type="button" title="Put away" aria-label="Put reference pictures away" onClick={() => setReferences({ shown: false })} className="grid size-6 place-items-center rounded-control hover:bg-fog-3">
          <IconX size={15} />
        </button>
      </header>
      {name ? (
        <ReferencePicture key={name} project={project.id} name={name} />
      ) : (
        <p className="m-auto px-5 text-center text-ink-2">Drop photos or sketches here. They stay beside the model and can be sampled from.</p>
      )}
      {name && (
        <div className="flex h-11 shrink-0 items-center gap-1 overflow-x-auto p-1">
          {(names.length > 1 ? names : []).map((other) => (
            <button
              key={other}
              type="button"
              title={other}
              aria-label={`Show ${other}`}
              aria-pressed={other === name}
              onClick={() => setReferences({ chosen: other })}
              className={`h-9 w-11 shrink-0 overflow-hidden rounded-control ${other === name ? "outline-2 -outline-offset-2 outline-accent" : ""}`}
            >
              <img src={referenceAddress(project.id, other)} alt="" draggable={false} className="size-full object-cover" />
            </button>
          ))}
          <button
            type="button"
            title={`Take ${name} off`}
            onClick={() => void takeOffReference(project.id, name)}
            className="sticky right-0 ml-auto h-8 shrink-0 rounded-control bg-fog-1 px-2.5 text-ink-2 hover:bg-fog-3"
          >
            Take off
          </button>
        </div>
      )}
      <FileInput ref={input} label="Reference files" accept={PICTURE_FILES} onFiles={(files) => void pin(files)} />
    </section>
  );
}

type Place = Omit<Desk["references"], "shown" | "chosen">;

/** What becomes of a place in so much room when a pointer has come so far. */
type Dragged = (place: Place, dx: number, dy: number, room: Element) => Partial<Place>;

const moved: Dragged = ({ right, bottom, width, height }, dx, dy, { clientWidth, clientHeight }) => ({
  right: within(right - dx, 0, clientWidth - width), bottom: within(bottom - dy, 0, clientHeight - height),
});
const sized: Dragged = ({ right, bottom, width, height }, dx, dy, { clientWidth, clientHeight }) => ({
  width: within(width - dx, LEAST, clientWidth - right), height: within(height - dy, LEAST, clientHeight - bottom),
});

/** What parts of the card do that it is held by. */
function useGrip(place: Place) {
  const { press, handlers } = useHold<{ drag: Dragged; start: Place; x: number; y: number; room: Element }>({
    move: ({ drag, start, x, y, room }, event) => setReferences(drag(start, event.clientX - x, event.clientY - y, room)),
    back: ({ start }) => setReferences(start),
  });
  return (drag: Dragged) => ({
    ...handlers,
    onPointerDown: (event: PointerEvent<HTMLElement>) => {
      if ((event.target as HTMLElement).closest("button")) return;
      const room = event.currentTarget.closest("section")!.offsetParent!;
      press(event, () => ({ drag, start: place, x: event.clientX, y: event.clientY, room }));
    },
  });
}
