import { IconPhotoPlus } from "@tabler/icons-react";
import { useRef } from "react";

import { addPictures } from "../api/rest";
import { useDesk } from "../state/desk";
import type { Project } from "../state/project";
import { surfaceNamed, useSession } from "../state/session";

/** Pictures that the model's file names and nobody gave: add them, or do without. */
export function MissingPictures({ project }: { project: Project }) {
  const input = useRef<HTMLInputElement>(null);
  const chosen = useDesk((desk) => desk.surface);
  const surface = surfaceNamed(useSession((session) => session.state), chosen);
  if (!surface?.missing?.length) return null;
  const add = async (files: File[]) => {
    try {
      const notes = await addPictures(project.id, files);
      useSession.setState({ notice: notes.join(" ") || null });
    } catch (error) {
      useSession.setState({ notice: (error as Error).message });
    }
  };
  return (
    <div className="card p-3" data-testid="missing-banner">
      <p>
        <b className="font-semibold">{surface.name}</b> wants {surface.missing.map(({ file }) => file).join(" and ")},
        which did not come with the model. Until then it shows a hatched pattern.
      </p>
      <div className="mt-1.5 flex gap-1.5">
        <button
          type="button"
          onClick={() => input.current?.click()}
          className="flex h-7 items-center gap-1.5 rounded-control bg-accent px-2.5 font-medium text-fog"
        >
          <IconPhotoPlus size={15} /> Add pictures
        </button>
        <button
          type="button"
          onClick={() => project.send({ type: "do_without_pictures", surface: surface.name })}
          className="h-7 rounded-control px-2 text-ink-2 hover:bg-fog-3"
        >
          Do without
        </button>
      </div>
      <input
        ref={input}
        type="file"
        hidden
        multiple
        aria-label="Missing pictures"
        accept=".png,.jpg,.jpeg,.webp,.tif,.tiff,.tga,.zip"
        onChange={(event) => {
          void add([...(event.target.files ?? [])]);
          event.target.value = "";
        }}
      />
    </div>
  );
}
