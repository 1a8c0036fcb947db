import { useEffect } from "react";
import { create } from "zustand";

import { forgetFinish, listFinishes, postFinish, restoreFinish } from "../api/rest";
import type { FinishChoice, LayFinish } from "../api/schema.generated";
import { fenceNow, useDesk } from "../state/desk";
import { sayBriefly, sayBrieflyWhile, sayOfLast } from "../state/notices";
import { idPicture, NO_ID_PICTURE } from "../state/pictures";
import { sayWithoutUvs } from "../stage/without_uvs";
import type { Project } from "../state/project";
import { say, surfaceNamed, useSession } from "../state/session";
import { Segmented } from "../ui/segmented";
import { CardHeading } from "./card_heading";

/** What a dragged finish is called among the things that are dragged. */
export const FINISH_TYPE = "application/x-nightmist-finish";

type Where = NonNullable<LayFinish["by"]> | "region" | "color";
const WHERE: { value: Where; text: string; hint: string }[] = [
  { value: "surface", text: "Surface", hint: "All of the surface, without a mask" },
  { value: "island", text: "Island", hint: "The UV island that it is dropped on" },
  { value: "patch", text: "Patch", hint: "What goes on smoothly from there" },
  { value: "part", text: "Part", hint: "The part of the model that it is dropped on" },
  { value: "region", text: "Region", hint: "The region that is the fence" },
  { value: "color", text: "ID color", hint: "What has the same color there in the project's picture of flat colors" },
];

interface Shelf {
  finishes: FinishChoice[];
  where: Where;
}
const useShelf = create<Shelf>(() => ({ finishes: [], where: "island" }));

export const loadFinishes = (): void => void listFinishes().then((finishes) => useShelf.setState({ finishes })).catch((error: Error) => say(error.message));

/** Lay a finish on what belongs together with a face, and make its mask what fills go to: a click adds an island. */
export async function layFinish(project: Project, name: string, met: { surface: string; face: number; uv: [number, number] | null } | null, into: string | null = null): Promise<void> {
  const desk = useDesk.getState();
  const { where } = useShelf.getState();
  // In a group what the group covers is meant.
  const surface = met?.surface ?? surfaceNamed(useSession.getState().state, desk.surface)?.name;
  if (!surface) return;
  if (met && !met.uv && !["surface", "part", "region"].includes(where)) return sayWithoutUvs(surface);
  const region = where === "region" && !into ? (fenceNow(desk) ?? desk.fence) : null;
  if (where === "region" && !into && !region) return sayOfLast("Choose a region first: click its fence in the list of regions.");
  const picture = where === "color" && met?.uv ? idPicture() : null;
  if (where === "color" && met && !picture) return sayOfLast(NO_ID_PICTURE);
  try {
    const partly = met !== null && where !== "surface" && where !== "region" && where !== "color";
    const node = await postFinish(project.id, { name, surface, into, region, face: partly ? met.face : null, by: partly ? where : "surface", picture, uv: met?.uv ?? [0, 0] });
    const masked = partly || region !== null || picture !== null;
    project.choose(node, masked);
    if (partly) {
      useDesk.setState({ tool: "fill", fillBy: where === "patch" || where === "facing" ? "island" : where, fillAway: false, maskValue: 1, otherMaskValue: 0 });
      const fills = () => useDesk.getState().tool === "fill" && useDesk.getState().maskTarget === node;
      sayBrieflyWhile(fills, `${name} lies there. A click with Fill adds more to its mask; X swaps to taking away.`);
    }
  } catch (error) {
    say((error as Error).message);
  }
}

/** Forget a finish of one's own; it can be brought back for a while. */
async function forget(name: string): Promise<void> {
  try {
    const gone = await forgetFinish(name);
    loadFinishes();
    sayBriefly(`${name} is forgotten. Where it was laid it stays.`, "Bring it back", () => void restoreFinish(gone).then(loadFinishes, (error: Error) => say(error.message)));
  } catch (error) {
    say((error as Error).message);
  }
}

/** Finishes to be dragged onto the model, or laid on the chosen surface by a click. */
export function FinishesCard({ project }: { project: Project }) {
  const { finishes, where } = useShelf();
  useEffect(loadFinishes, []);
  return (
    <section aria-label="Finishes" className="card flex h-full flex-col">
      <CardHeading title="Finishes" closes="Close the finishes" />
      <div className="px-2.5">
        <Segmented wraps label="Laid on" options={WHERE} value={where} onChange={(next) => useShelf.setState({ where: next })} />
        <p className="mt-1 px-1 text-ink-2">Drag one onto the model or the map. A click lays it on all of the chosen surface.</p>
      </div>
      <ul tabIndex={0} aria-label="All finishes" className="mt-2 grid min-h-0 grow basis-0 auto-rows-min grid-cols-3 gap-2 overflow-y-auto px-3.5 pb-3 [scrollbar-width:thin]">
        {finishes.map((finish) => (
          <li key={finish.name}>
            <Swatch finish={finish} project={project} />
          </li>
        ))}
      </ul>
    </section>
  );
}

function Swatch({ finish: { name, own }, project }: { finish: FinishChoice; project: Project }) {
  return (
    <button
      type="button"
      draggable
      title={own ? `${name}: your own; right click forgets it` : name}
      onDragStart={(event) => event.dataTransfer.setData(FINISH_TYPE, name)}
      onClick={() => void layFinish(project, name, null)}
      onContextMenu={(event) => {
        event.preventDefault();
        if (own) void forget(name);
      }}
      className="block w-full rounded-control p-1 text-left hover:bg-fog-2"
    >
      {own ? (
        <span className="grid aspect-square w-full place-items-center rounded-[6px] bg-fog-3 text-[22px] font-semibold text-ink-2">{name.slice(0, 1)}</span>
      ) : (
        <img alt="" draggable={false} src={`/api/finishes/${encodeURIComponent(name)}/swatch`} className="aspect-square w-full rounded-[6px] bg-fog-3" />
      )}
      <span className="mt-0.5 line-clamp-2 text-[12px] leading-4">{name}</span>
    </button>
  );
}
