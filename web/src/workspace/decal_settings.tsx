import { IconChevronDown, IconChevronUp, IconEye, IconEyeOff } from "@tabler/icons-react";

import type { Decal, Decals } from "../api/schema.generated";
import { chooseDecal, useDecals } from "../state/decals";
import { pictureAt } from "../state/pictures";
import type { Project } from "../state/project";
import { useSession } from "../state/session";
import { DecalNumbers } from "./decal_numbers";
import { Head } from "./node_card_head";
import { PictureAbout } from "./picture_about";
import { PictureGrid } from "./picture_grid";

/** A layer of decals: a picture to be put down, those that lie there, and the numbers of the chosen one. */
export function DecalSettings({ layer, project }: { layer: Decals; project: Project }) {
  const inHand = useDecals((decals) => decals.inHand);
  const placed = layer.placed ?? [];
  // Not as it is seen while it moves: with hundreds of decals, their list takes longer than the picture.
  const chosen = useDecals((decals) => decals.chosen);
  const pictures = useSession((session) => session.state?.pictures);
  const here = placed.find(({ id }) => id === chosen);
  const picture = pictures?.find(({ id }) => id === (here?.picture ?? inHand));
  return (
    <>
      <Head>Put a picture down</Head>
      <PictureGrid
        project={project} purpose="decals" chosen={inHand}
        onChoose={({ id }) => useDecals.setState({ inHand: inHand === id ? null : id, ...(inHand !== id && { chosen: null }) })}
      />
      <p className="mt-1.5 text-ink-2">
        {inHand ? "Click on the model, or in the map, where it is to lie. Shift keeps it in hand." : placed.length ? "Choose a picture, then click where it is to lie. A click on a decal chooses it; dragging moves it, with Ctrl a copy." : "Choose a picture, then click on the model where it is to lie."}
      </p>
      {placed.length > 0 && <Head>Those that lie there</Head>}
      <ol aria-label="Decals, the topmost first" className="max-h-[152px] overflow-y-auto [scrollbar-width:thin]">
        {[...placed].reverse().map((decal) => (
          <Row key={decal.id} decal={decal} index={placed.indexOf(decal)} count={placed.length} layer={layer} project={project} on={here?.id === decal.id} />
        ))}
      </ol>
      {here && <DecalNumbers key={here.id} decal={here} project={project} />}
      {picture && <PictureAbout key={picture.id} picture={picture} project={project} />}
    </>
  );
}

function Row({ decal, index, count, layer, project, on }: { decal: Decal; index: number; count: number; layer: Decals; project: Project; on: boolean }) {
  const picture = useSession((session) => session.state?.pictures.find(({ id }) => id === decal.picture));
  const Eye = decal.visible === false ? IconEyeOff : IconEye;
  const icon = "grid size-7 shrink-0 place-items-center rounded-control text-ink-2 enabled:hover:bg-fog-3 disabled:opacity-40";
  const order = (to: number) => project.send({ type: "order_decal", node: layer.id, decal: decal.id, index: to });
  const name = picture?.name ?? "picture";
  return (
    <li className={`flex h-9 items-center gap-1 rounded-control pr-0.5 [contain-intrinsic-height:36px] [content-visibility:auto] ${on ? "bg-accent-soft" : "hover:bg-fog-2"}`}>
      <button type="button" aria-pressed={on} title={`${name}: see its frame`} onClick={() => chooseDecal(on ? null : decal.id)} className="flex h-9 min-w-0 grow items-center gap-1.5 px-1 text-left">
        {picture && <img alt="" src={pictureAt(project.id, picture)} className="size-7 shrink-0 rounded-[5px] bg-[repeating-conic-gradient(#b9bfbd_0_25%,#d7dbda_0_50%)] bg-[length:8px_8px] object-contain" />}
        <span className={`truncate ${decal.visible === false ? "opacity-55" : ""}`}>{name}</span>
      </button>
      <button type="button" className={icon} aria-label={`Move ${name} up`} title="Over the one above" disabled={index + 1 >= count} onClick={() => order(index + 1)}>
        <IconChevronUp size={15} />
      </button>
      <button type="button" className={icon} aria-label={`Move ${name} down`} title="Under the one below" disabled={index === 0} onClick={() => order(index - 1)}>
        <IconChevronDown size={15} />
      </button>
      <button type="button" className={icon} aria-label={`${decal.visible === false ? "Show" : "Hide"} ${name}`} aria-pressed={decal.visible !== false} onClick={() => project.send({ type: "change_decal", decal: decal.id, visible: decal.visible === false })}>
        <Eye size={16} stroke={1.7} />
      </button>
    </li>
  );
}
