import { IconPhotoPlus } from "@tabler/icons-react";
import { useRef } from "react";

import { PICTURE_FILES } from "../api/files";
import { missingFiles, missingFromView, namesInWords } from "../state/document";
import { takeDropped } from "../state/dropped";
import { addMissing } from "../state/missing";
import { leave } from "../state/notices";
import type { Project } from "../state/project";
import { useSession } from "../state/session";
import { FileInput } from "../ui/file_input";

/** Pictures that the model's file names and nobody gave, on whichever surface: add them, or do without. */
export function MissingPictures({ project }: { project: Project }) {
  const input = useRef<HTMLInputElement>(null);
  const surfaces = useSession((session) => session.state?.surfaces);
  const wanting = surfaces?.filter(({ missing }) => missing?.length) ?? [];
  if (!wanting.length) return null;
  const add = (files: File[]) => void addMissing(project, files);
  const doWithout = () => {
    // What was said of those still missing is over.
    leave();
    wanting.forEach(({ name }) => project.send({ type: "do_without_pictures", surface: name }));
  };
  const hatched = wanting.filter(missingFromView).map(({ name }) => name);
  return (
    <div
      className="card max-h-40 overflow-y-auto p-3"
      data-testid="missing-banner"
      onDrop={(event) => {
        event.preventDefault();
        takeDropped(event.dataTransfer, add);
      }}
    >
      {wanting.map((surface) => (
        <p key={surface.id} className="wrap-anywhere">
          <b className="font-semibold">{surface.name}</b> wants{" "}
          {missingFiles(surface)}
        </p>
      ))}
      <p className="text-ink-2">
        {hatched.length
          ? `These did not come with the model. Until then ${namesInWords(hatched)} ${hatched.length > 1 ? "show" : "shows"} a hatched pattern.`
          : "These did not come with the model. They are not shown here, only handed off."}
      </p>
      <div className="mt-1.5 flex gap-1.5">
        <button
          type="button"
          onClick={() => input.current?.click()}
          className="flex h-7 items-center gap-1.5 rounded-control bg-accent px-2.5 font-medium text-fog"
        >
          <IconPhotoPlus size={15} /> Add pictures
        </button>
        <button type="button" onClick={doWithout} className="h-7 rounded-control px-2 text-ink-2 hover:bg-fog-3">
          Do without
        </button>
      </div>
      <FileInput ref={input} label="Missing pictures" accept={`${PICTURE_FILES},.zip`} onFiles={add} />
    </div>
  );
}
