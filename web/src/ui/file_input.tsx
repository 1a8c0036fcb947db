import type { RefObject } from "react";

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
