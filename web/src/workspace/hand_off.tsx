import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { IconDownload } from "@tabler/icons-react";
import { useState } from "react";

import { useDesk } from "../state/desk";
import { useSession } from "../state/session";
import { MapNames } from "./map_names";

const FILES = [
  { text: "Model and maps", hint: "A GLB and all maps as PNG of 8 bits, one zip", href: "maps.zip?bits=8&model=true" },
  { text: "Painted model, GLB", hint: "With its maps inside, for any glTF viewer", href: "painted.glb" },
  { text: "Maps, PNG 8 bit", hint: "All surfaces, one zip", href: "maps.zip?bits=8" },
  { text: "Maps, PNG 16 bit", hint: "Every step of the paint, for further work", href: "maps.zip?bits=16" },
  { text: "Project file", hint: "With all layers, to open elsewhere", href: "project.nightmist" },
];

const SHOWN = { text: "Shown parts, GLB", hint: "The painted model without what is hidden", href: "painted.glb?shown=true" };

/** What leaves the house, and whether there is something that has not left yet. */
export function HandOff({ id }: { id: string }) {
  const revision = useSession((session) => session.kept?.revision ?? 0);
  const handedOff = useDesk((desk) => desk.handedOff);
  const since = handedOff === null ? revision : Math.max(0, revision - handedOff);
  const hidden = useSession((session) => session.state?.hidden_parts.length ?? 0);
  const parts = useSession((session) => session.state?.mesh.parts.length ?? 0);
  const names = useDesk((desk) => desk.mapNames);
  const [named, setNamed] = useState(true);
  const changes = `${since} ${since === 1 ? "change" : "changes"}`;
  const said = handedOff === null ? "Not handed off yet" : since ? `${changes} since the last time` : "Handed off as it is now";
  return (
    <Popover className="relative">
      <PopoverButton title={said} className="relative flex h-8 items-center gap-1.5 whitespace-nowrap rounded-control px-2.5 hover:bg-fog-2">
        <IconDownload size={17} stroke={1.7} />
        <span className="max-[1000px]:sr-only">Hand off</span>
        {since > 0 && handedOff !== null && <span aria-hidden className="absolute right-1 top-1 size-1.5 rounded-full bg-accent" />}
      </PopoverButton>
      <PopoverPanel role="region" aria-label="Files to take along" className="card absolute right-0 z-20 mt-2 w-80 p-1.5 shadow-lg">
        <p className="px-3 pb-1 pt-1.5 text-ink-2" data-testid="handed-off">
          {said}
        </p>
        {[...FILES, ...(hidden ? [SHOWN] : [])].map(({ text, hint, href }) => {
          const ofMaps = href.startsWith("maps");
          const bare = href === SHOWN.href && hidden === parts;
          const held = bare || (ofMaps && !named);
          return (
            <a
              key={href}
              href={held ? undefined : `/api/projects/${id}/${href}${ofMaps ? `&names=${encodeURIComponent(names)}` : ""}`}
              download
              role="link"
              aria-disabled={held}
              onClick={() => held || useDesk.setState({ handedOff: revision })}
              className="block rounded-control px-3 py-2 hover:bg-fog-2 aria-disabled:pointer-events-none aria-disabled:opacity-50"
            >
              <span className="block font-medium">{text}</span>
              <span className="block text-ink-2">{bare ? "All parts are hidden: there is nothing to hand off" : hint}</span>
            </a>
          );
        })}
        <MapNames id={id} onJudged={setNamed} />
      </PopoverPanel>
    </Popover>
  );
}
