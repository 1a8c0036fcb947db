import { IconCube } from "@tabler/icons-react";
import { useEffect, useRef, useState } from "react";

import { MODEL_FILES } from "../api/files";
import { randomName } from "../api/random_name";
import { callOff, createProject, practiceProject, workProgress } from "../api/rest";
import type { NewProject, WorkProgress } from "../api/schema.generated";
import { takeDropped } from "../state/dropped";
import { leave } from "../state/notices";
import { leaveNotes } from "../state/opening_notes";
import { useSession } from "../state/session";
import { NumberField } from "../ui/number_field";
import { FileInput } from "../ui/file_input";

const BODIES = ["plane", "box", "sphere", "ring", "cylinder"];
const SIZES = [512, 1024, 2048, 4096];

/** Drop or choose a model, with the files it refers to, and go straight to painting. */
export function NewProjectCard() {
  const input = useRef<HTMLInputElement>(null);
  const [size, setSize] = useState(2048);
  const [meters, setMeters] = useState(1);
  const [busy, setBusy] = useState<string | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const [over, setOver] = useState(false);
  const work = useRef(randomName());
  // A number that could not be taken; what was said in a project stays there.
  const refused = useSession((session) => session.notice);
  useEffect(leave, []);

  const begin = async (what: string, make: () => Promise<NewProject>) => {
    if (busy) return;
    setProblem(null);
    setBusy(what);
    try {
      const { id, notes } = await make();
      if (notes.length) leaveNotes(id, notes.join(" "));
      location.hash = `#/project/${id}`;
    } catch (error) {
      setProblem((error as Error).message);
      setBusy(null);
    }
  };
  const start = (files: File[]) => void begin(work.current, () => createProject(files, size, work.current));

  // Dropped anywhere on the page it is meant for here.
  useEffect(() => {
    const stop = new AbortController();
    const options = { signal: stop.signal, capture: true };
    const dropped = (event: DragEvent) => {
      event.preventDefault();
      setOver(false);
      if (event.dataTransfer) takeDropped(event.dataTransfer, start);
    };
    addEventListener("drop", dropped, options);
    addEventListener("dragover", (event) => setOver(event.dataTransfer?.types.includes("Files") ?? false), options);
    addEventListener("dragleave", (event) => event.relatedTarget === null && setOver(false), options);
    return () => stop.abort();
  });

  return (
    <div
      className={`flex h-full min-h-[290px] flex-col items-center justify-center gap-3 rounded-card border-2 border-dashed p-4 text-center ${
        over ? "border-accent bg-accent-soft" : "border-fog-3 bg-fog/85"
      }`}
    >
      <IconCube size={30} stroke={1.3} className="text-ink-2" />
      <div>
        <p className="font-semibold">Start from a model</p>
        <p className="mt-1 text-ink-2">Drop GLB, glTF, OBJ with MTL, PLY or STL here, with the files that belong to it, their folder, or all in one zip; or a project file.</p>
      </div>
      <div className="flex items-center gap-2">
        <button
          type="button"
          disabled={busy !== null}
          onClick={() => input.current?.click()}
          className="h-8 shrink-0 rounded-control bg-accent px-3.5 font-medium text-fog disabled:opacity-60"
        >
          {busy ? "Bringing it in …" : "Choose files"}
        </button>
        <label className="flex items-center gap-1.5 text-ink-2">
          Maps
          <select
            value={size}
            onChange={(event) => setSize(Number(event.target.value))}
            className="h-8 rounded-control bg-fog-2 px-2 text-ink"
          >
            {SIZES.map((side) => (
              <option key={side} value={side}>
                {side} × {side}
              </option>
            ))}
          </select>
        </label>
      </div>
      <FileInput ref={input} label="Model files" accept={`.nightmist,${MODEL_FILES}`} onFiles={start} />
      {busy && <BringingIn work={busy} />}
      {!busy && (
        <p className="flex flex-wrap items-center justify-center gap-1 text-ink-2">
          or practice on a
          {BODIES.map((body) => (
            <button
              key={body}
              type="button"
              title={`A ${body} with sound UVs`}
              onClick={() => void begin(body, () => practiceProject(body, size, meters))}
              className="h-7 rounded-control bg-fog-2 px-2 text-ink hover:bg-fog-3"
            >
              {body}
            </button>
          ))}
          <NumberField label="Size" value={meters} min={0.001} max={10_000} unit="m" title="How large the body is, in meters" onChange={setMeters} />
        </p>
      )}
      {(problem ?? refused) && (
        <p role="alert" className="text-danger">
          {problem ?? refused}
        </p>
      )}
    </div>
  );
}

/** How far bringing in a model is; long ones can be called off. */
function BringingIn({ work }: { work: string }) {
  const [now, setNow] = useState<WorkProgress | null>(null);
  useEffect(() => {
    const timer = setInterval(() => {
      workProgress(work).then(setNow, () => undefined);
    }, 300);
    return () => clearInterval(timer);
  }, [work]);
  if (now?.share == null) return null;
  return (
    <div role="status" className="w-56">
      <p className="text-ink-2">{now.label} …</p>
      <progress value={now.share} className="mt-1 block h-1.5 w-full" />
      <button type="button" onClick={() => void callOff(work)} className="mt-1.5 h-7 rounded-control px-2 hover:bg-fog-2">
        Call off
      </button>
    </div>
  );
}
