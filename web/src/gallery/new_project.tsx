import { IconCube } from "@tabler/icons-react";
import { type DragEvent, useRef, useState } from "react";

import { createProject } from "../api/rest";

const SIZES = [512, 1024, 2048, 4096];

/** Drop or choose a model, with the files it refers to, and go straight to painting. */
export function NewProjectCard() {
  const input = useRef<HTMLInputElement>(null);
  const [size, setSize] = useState(2048);
  const [busy, setBusy] = useState<string | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const [over, setOver] = useState(false);

  const start = async (files: File[]) => {
    if (!files.length || busy) return;
    setProblem(null);
    setBusy(files[0]!.name);
    try {
      const { id, notes } = await createProject(files, size);
      if (notes.length) sessionStorage.setItem(`nightmist-notes-${id}`, notes.join(" "));
      location.hash = `#/project/${id}`;
    } catch (error) {
      setProblem((error as Error).message);
      setBusy(null);
    }
  };

  const drop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    void start([...event.dataTransfer.files]);
  };

  return (
    <div
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={drop}
      className={`flex h-full min-h-[290px] flex-col items-center justify-center gap-3 rounded-card border-2 border-dashed p-4 text-center ${
        over ? "border-accent bg-accent-soft" : "border-fog-3 bg-fog/85"
      }`}
    >
      <IconCube size={30} stroke={1.3} className="text-ink-2" />
      <div>
        <p className="font-semibold">Start from a model</p>
        <p className="mt-1 text-ink-2">Drop GLB, glTF, OBJ with MTL, or PLY here, with the files that belong to it.</p>
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
      <input
        ref={input}
        type="file"
        multiple
        hidden
        accept=".glb,.gltf,.obj,.mtl,.ply,.bin,.png,.jpg,.jpeg,.webp,.tif,.tiff,.tga"
        onChange={(event) => {
          void start([...(event.target.files ?? [])]);
          event.target.value = "";
        }}
      />
      {problem && (
        <p role="alert" className="text-danger">
          {problem}
        </p>
      )}
    </div>
  );
}
