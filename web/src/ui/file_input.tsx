import type { RefObject } from "react";

/** What the engine reads; systems that know no type for an ending go by the ending. */
export const PICTURE_FILES = ".png,.jpg,.jpeg,.webp,.tif,.tiff,.tga,.bmp";
export const MODEL_FILES = `.glb,.gltf,.obj,.mtl,.ply,.stl,.zip,.bin,${PICTURE_FILES}`;

interface Props {
  ref: RefObject<HTMLInputElement | null>;
  label: string;
  accept: string;
  /** One file only. */
  single?: boolean;
  onFiles: (files: File[]) => void;
}

/** The system's choice of files, opened by a click on what `ref` holds; the same ones can be chosen again. */
export function FileInput({ ref, label, accept, single, onFiles }: Props) {
  return (
    <input
      ref={ref} type="file" hidden multiple={!single} aria-label={label} accept={accept}
      onChange={(event) => {
        const files = [...(event.target.files ?? [])];
        event.target.value = "";
        if (files.length) onFiles(files);
      }}
    />
  );
}
