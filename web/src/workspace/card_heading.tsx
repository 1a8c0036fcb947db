import { IconX } from "@tabler/icons-react";

import { closeCards } from "../state/cards";

/** A card's title, and the button that closes it. */
export function CardHeading({ title, closes }: { title: string; closes: string }) {
  return (
    <h2 className="flex h-10 shrink-0 items-center justify-between pr-2 pl-3.5 font-semibold">
      <span className="truncate">{title}</span>
      <button type="button" aria-label={closes} title="Close (Esc)" onClick={closeCards} className="grid size-7 shrink-0 place-items-center rounded-control text-ink-2 hover:bg-fog-2">
        <IconX size={15} />
      </button>
    </h2>
  );
}
