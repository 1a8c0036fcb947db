import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/react";
import { IconDots } from "@tabler/icons-react";
import { useEffect, useState } from "react";

import { markingColors } from "../api/rest";
import type { MakeMask, Picture } from "../api/schema.generated";
import type { LayerState } from "../state/document";
import { useRows } from "../state/layers";
import { toggleMaskAlone } from "../state/mask_alone";
import type { Project } from "../state/project";
import { say, useSession } from "../state/session";

const SOURCES: [NonNullable<MakeMask["source"]>, string, string][] = [
  ["low", "Low places", "Where the relief below is low"],
  ["high", "High places", "Where the relief below stands out"],
  ["dark", "Dark places", "Where the color below is dark"],
  ["light", "Light places", "Where the color below is light"],
  ["up", "What looks up", "Where rain and dust settle"],
];

type Make = (part: { source?: MakeMask["source"]; picture?: string; color?: string }) => void;

/** The colors with which a picture marks areas, each to be clicked. */
function IdColors({ picture: { id, name }, project, make }: { picture: Picture; project: Project; make: Make }) {
  const [colors, setColors] = useState<string[] | null>(null);
  useEffect(() => {
    let gone = false;
    void markingColors(project.id, id).then((found) => gone || setColors(found), (error: Error) => say(error.message));
    return () => {
      gone = true;
    };
  }, [project, id]);
  return (
    <div className="px-2.5 py-1">
      <p className="truncate text-[12px] text-ink-2">{name}, one color of it</p>
      <div className="mt-1 flex flex-wrap gap-1">
        {colors?.length === 0 && <p>No color of it fills an area.</p>}
        {colors?.map((color) => (
          <MenuItem key={color}>
            <button
              type="button"
              aria-label={`${name}: ${color}`}
              title={`Where the picture, laid into the map, shows ${color}`}
              style={{ background: color }}
              onClick={() => make({ picture: id, color })}
              className="size-6 rounded-control border border-ink/25 data-focus:outline-2 data-focus:outline-offset-1 data-focus:outline-accent"
            />
          </MenuItem>
        ))}
      </div>
    </div>
  );
}

/** What a mask can be made from: what lies below, where the surface looks, pictures, other masks. */
export function MaskMenu({ layer, project }: { layer: LayerState; project: Project }) {
  const alone = useRows((rows) => rows.maskAlone === layer.id);
  const pictures = useSession((session) => session.state?.pictures) ?? [];
  const surfaces = useSession((session) => session.state?.surfaces) ?? [];
  const masked = surfaces.flatMap(({ name, layers }) => {
    const where = layers.some(({ id }) => id === layer.id) ? "" : ` on ${name}`;
    return layers.filter(({ id, mask }) => mask && id !== layer.id).map(({ id, name }) => ({ id, name: name + where }));
  });
  const make: Make = (part) => project.send({ type: "make_mask", node: layer.id, source: null, picture: null, color: null, ...part });
  const item = (key: string, text: string, hint: string, act: () => void) => (
    <MenuItem key={key}>
      <button type="button" title={hint} onClick={act} className="flex h-7 w-full items-center rounded-control px-2.5 text-left data-focus:bg-fog-2">
        <span className="truncate">{text}</span>
      </button>
    </MenuItem>
  );
  return (
    <Menu>
      <MenuButton aria-label={`Make the mask of ${layer.name} from`} title="Make the mask from what is there, or delete it" className="grid size-7 shrink-0 place-items-center rounded-control text-ink-2 hover:bg-fog-3">
        <IconDots size={15} />
      </MenuButton>
      <MenuItems anchor="right end" className="card z-20 max-h-96! w-52 p-1 outline-none">
        {layer.mask && item("alone", alone ? "See everything again" : "See the mask alone", "White shows, black hides; strokes go on", () => toggleMaskAlone(layer.id))}
        <p className="px-2.5 py-1 text-[12px] text-ink-2">Show the layer in</p>
        {SOURCES.map(([source, text, hint]) => item(source, text, hint, () => make({ source })))}
        {pictures.filter(({ role }) => role === "id").map((picture) => <IdColors key={picture.id} picture={picture} project={project} make={make} />)}
        {pictures.filter(({ role }) => role !== "id").map(({ id, name }) => item(id, name, "Where the picture, laid into the map, is light", () => make({ picture: id })))}
        {masked.map(({ id, name }) => item(id, `Mask of ${name}`, "The same mask as that layer’s", () => project.send({ type: "copy_mask", node: layer.id, origin: id })))}
        {layer.mask && item("delete", "Delete the mask", "The layer shows everywhere", () => project.send({ type: "remove_mask", node: layer.id }))}
      </MenuItems>
    </Menu>
  );
}
