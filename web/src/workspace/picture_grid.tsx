import { IconUpload } from "@tabler/icons-react";
import { useEffect, useRef } from "react";

import { PICTURE_FILES } from "../api/files";
import { libraryThumbnail } from "../api/rest";
import type { LibraryPicture, Picture } from "../api/schema.generated";
import { takeDropped } from "../state/dropped";
import { dropFromLibrary, loadLibrary, takeOfLibrary, useLibrary } from "../state/library";
import { pictureAt, takeIn } from "../state/pictures";
import type { Project } from "../state/project";
import { say, useSession } from "../state/session";
import { FileInput } from "../ui/file_input";

interface Props {
  project: Project;
  /** What the pictures are taken for. */
  purpose: string;
  chosen: string | null;
  onChoose: (picture: Picture) => void;
}

/** The project's pictures to choose from; more come from files, or are dropped. */
export function PictureGrid({ project, purpose, chosen, onChoose }: Props) {
  const pictures = useSession((session) => session.state?.pictures) ?? [];
  const input = useRef<HTMLInputElement>(null);
  const take = async (files: File[]) => {
    try {
      const [fresh] = await takeIn(project.id, files);
      if (fresh) onChoose(fresh);
    } catch (error) {
      say((error as Error).message);
    }
  };
  return (
    <div
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        event.stopPropagation();
        takeDropped(event.dataTransfer, take);
      }}
    >
      <FileInput ref={input} label={`Pictures for ${purpose}`} accept={PICTURE_FILES} onFiles={(files) => void take(files)} />
      <button type="button" onClick={() => input.current?.click()} className="flex h-8 w-full items-center justify-center gap-1.5 rounded-control bg-fog-2 hover:bg-fog-3">
        <IconUpload size={15} stroke={1.7} />
        Pictures from files, or drop them here
      </button>
      <ul aria-label="Pictures of the project" className="mt-2 grid max-h-[178px] grid-cols-5 gap-1.5 overflow-y-auto p-0.5 [scrollbar-width:thin]">
        {pictures.map((picture) => (
          <Cell key={picture.id} picture={picture} label={picture.name} src={pictureAt(project.id, picture)} chosen={picture.id === chosen} onChoose={() => onChoose(picture)} />
        ))}
      </ul>
      {!pictures.length && <p className="mt-2 text-ink-2">No pictures yet. PNG with transparency, photos, gray masks: all will do.</p>}
      <ForAll project={project} onChoose={onChoose} />
    </div>
  );
}

interface CellProps {
  picture: Pick<Picture, "name" | "width" | "height">;
  label: string;
  src: string;
  /** Left out where nothing is chosen among them. */
  chosen?: boolean;
  onChoose: () => void;
  /** What a right click does, and how that is told. */
  onRightClick?: () => void;
  hint?: string;
}

function Cell({ picture: { name, width, height }, label, src, chosen, onChoose, onRightClick, hint = "" }: CellProps) {
  return (
    <li>
      <button
        type="button" title={`${name}, ${width} × ${height}${hint}`} aria-label={label} aria-pressed={chosen} onClick={onChoose}
        onContextMenu={
          onRightClick &&
          ((event) => {
            event.preventDefault();
            onRightClick();
          })
        }
        className={`block aspect-square w-full overflow-hidden rounded-[6px] ${chosen ? "outline-2 outline-accent" : "hover:outline-2 hover:outline-fog-4"}`}
      >
        <img alt="" loading="lazy" src={src} className="size-full bg-[repeating-conic-gradient(#b9bfbd_0_25%,#d7dbda_0_50%)] bg-[length:10px_10px] object-contain" />
      </button>
    </li>
  );
}

/** Those of the library that the project does not have yet: a click brings one in. */
function ForAll({ project, onChoose }: Pick<Props, "project" | "onChoose">) {
  const library = useLibrary((shelf) => shelf.pictures);
  const pictures = useSession((session) => session.state?.pictures) ?? [];
  useEffect(() => void loadLibrary(), []);
  const others = library.filter(({ file }) => !pictures.some((picture) => picture.file === file));
  const take = async (choice: LibraryPicture) => {
    const picture = await takeOfLibrary(project.id, choice);
    if (picture) onChoose(picture);
  };
  if (!others.length) return null;
  return (
    <details className="mt-2" open={!pictures.length}>
      <summary className="cursor-pointer text-ink-2">In the library, for all projects</summary>
      <ul aria-label="Pictures in the library" className="mt-1.5 grid max-h-[178px] grid-cols-5 gap-1.5 overflow-y-auto p-0.5 [scrollbar-width:thin]">
        {others.map((choice) => (
          <Cell
            key={choice.file} picture={choice} label={`${choice.name}, in the library`} src={libraryThumbnail(choice.file)} onChoose={() => void take(choice)}
            hint={choice.own ? "; right click takes it out of the library" : ""} onRightClick={() => choice.own && void dropFromLibrary(choice)}
          />
        ))}
      </ul>
    </details>
  );
}
