import { useRef } from "react";

import { replaceModel } from "../api/rest";
import { useDesk } from "../state/desk";
import type { Project } from "../state/project";
import { useSession } from "../state/session";

/** A corrected model in place of this one; the paint goes along through the surface. */
export function ReplaceModel({ project }: { project: Project }) {
  const input = useRef<HTMLInputElement>(null);
  const replace = async (files: File[]) => {
    if (!files.length) return;
    try {
      const notes = await replaceModel(project.id, files, useDesk.getState().preparing.keepPaint);
      useSession.setState({ notice: notes.join(" ") || null });
    } catch (error) {
      useSession.setState({ notice: (error as Error).message });
    }
  };
  return (
    <>
      <button
        type="button"
        title="Put a corrected model in place of this one; the paint is carried over"
        onClick={() => input.current?.click()}
        className="h-7 rounded-control bg-fog-2 px-2.5 hover:bg-fog-3"
      >
        Replace model
      </button>
      <input
        ref={input}
        type="file"
        hidden
        multiple
        aria-label="New model"
        accept=".glb,.gltf,.obj,.mtl,.ply,.stl,.zip,.bin,.png,.jpg,.jpeg,.webp,.tif,.tiff,.tga"
        onChange={(event) => {
          void replace([...(event.target.files ?? [])]);
          event.target.value = "";
        }}
      />
    </>
  );
}
