import { IconFocusCentered, IconPhoto, IconSlideshow } from "@tabler/icons-react";

import { tooltip } from "../commands/commands";
import type { Stage } from "../stage/stage";
import { type UvDisplay, setReferences, shownView, type Tool, useDesk } from "../state/desk";
import { toggleStencils } from "../state/cards";
import { decalLayer, useDecals } from "../state/decals";
import { layerById, surfaceNamed, useSession } from "../state/session";
import { isStencilled } from "../state/stencils";
import type { Project } from "../state/project";
import { Segmented } from "../ui/segmented";
import { LookControl } from "./look_control";
import { MirrorControl } from "./mirror_control";
import { FenceChip } from "./fence_chip";
import { HiddenChip } from "./parts_list";
import { carried } from "./pigment_text";

const UV_DISPLAYS: { value: UvDisplay; text: string; hint: string }[] = [
  { value: "paint", text: "Paint", hint: "The paint as it is" },
  { value: "checker", text: "Checker", hint: "Even squares through these UVs; the paint is untouched" },
  { value: "letters", text: "Letters", hint: "Squares that can be told apart; a tick marks their upper edge" },
  { value: "stretch", text: "Stretch", hint: "Green is undistorted, red is stretched twice and more" },
  { value: "density", text: "Density", hint: "Green is usual, red coarser, blue finer" },
  { value: "findings", text: "Findings", hint: "Where the checkup found something" },
];

const DOING: Record<Tool, string> = {
  brush: "Painting", erase: "Erasing on", smear: "Smearing", soften: "Softening", sharpen: "Sharpening",
  clone: "Cloning onto", fill: "Filling", gradient: "Gradient on", sample: "Sampling; painting", pick: "Picking; painting",
}; // prettier-ignore

/** Over the stage: what receives the stroke on the left, how it is shown on the right. */
export function StageControls({ stage, project }: { stage: Stage; project: Project }) {
  const state = useSession((session) => session.state);
  const desk = useDesk();
  const preparing = desk.stage === "prepare";
  const view = shownView(desk);
  const surface = surfaceNamed(state, desk.surface);
  const masked = layerById(state, desk.maskTarget ?? "");
  const layer = surface && layerById(state, desk.layers[surface.name] ?? "");
  const stencilled = isStencilled(desk);
  const held = useDecals((decals) => decals.inHand);
  const inHand = state?.pictures.find(({ id }) => id === held);
  const onDecals = desk.tool !== "pick" && desk.tool !== "sample" && decalLayer(surface, desk.layers, desk.maskTarget) !== null;
  const what = masked ? `mask of ${masked.name}` : layer ? layer.name : "no layer";
  return (
    <div className="@container pointer-events-none absolute inset-x-0 top-0 flex items-start justify-between gap-2 *:pointer-events-auto">
      {preparing ? <span /> : <div className="card flex h-8 min-w-0 items-center gap-2 px-3" data-testid="target" data-bar>
        <span className="size-2 shrink-0 rounded-full bg-accent" />
        <span className="min-w-24 truncate" title={`${surface?.name ?? ""}, ${what}`}>
          {onDecals ? (inHand ? `Placing ${inHand.name} on` : "Decals on") : desk.tool === "fill" && desk.fillAway ? "Emptying" : DOING[desk.tool]}{" "}
          <b className="inline-block max-w-[72%] truncate align-bottom font-semibold">{surface?.name}</b>, {what}
        </span>
        <span className="min-w-9 shrink-[3] truncate text-ink-2">{masked ? `shows ${Math.round(desk.maskValue * 100)}%` : onDecals ? (inHand ? "click to place" : "click to choose") : layer && layer.kind !== "brushed" ? "takes no paint" : carried(desk)}</span>
        <FenceChip />
        <HiddenChip project={project} />
      </div>}
      <div className="card flex h-9 items-center gap-1 px-1" data-bar>
        {preparing && (
          <Segmented label="Show" options={UV_DISPLAYS} value={desk.uvDisplay} onChange={(uvDisplay) => useDesk.setState({ uvDisplay })} />
        )}
        {!preparing && (
          <button
            type="button" aria-label="Stencil" aria-pressed={stencilled} title={tooltip("stencil")} onClick={toggleStencils}
            className={`flex h-7 shrink-0 items-center gap-1.5 rounded-control px-2 ${stencilled ? "bg-accent-soft" : "text-ink-2 hover:bg-fog-2"}`}
          >
            <IconSlideshow size={16} stroke={1.7} />
            <span className="@max-[720px]:hidden">Stencil</span>
          </button>
        )}
        {!preparing && <MirrorControl />}
        <LookControl stage={stage} project={project} atHand={!preparing} />
        {!preparing && view !== "model" && (
          <button
            type="button"
            aria-pressed={desk.uvLines}
            title="Show the faces' outlines in the map"
            onClick={() => useDesk.setState({ uvLines: !desk.uvLines })}
            className={`h-7 shrink-0 rounded-control px-2.5 whitespace-nowrap ${desk.uvLines ? "bg-accent-soft" : "text-ink-2 hover:bg-fog-2"}`}
          >
            UV lines
          </button>
        )}
        <button
          type="button"
          title="Reference pictures beside the model"
          aria-label="Reference pictures"
          aria-pressed={desk.references.shown}
          onClick={() => setReferences({ shown: !desk.references.shown })}
          className={`grid size-7 place-items-center rounded-control ${desk.references.shown ? "bg-accent-soft" : "text-ink-2 hover:bg-fog-2"}`}
        >
          <IconPhoto size={17} stroke={1.7} />
        </button>
        <button
          type="button"
          title={tooltip("showAll")}
          aria-label="Show all"
          onClick={() => stage.frameAll()}
          className="grid size-7 place-items-center rounded-control text-ink-2 hover:bg-fog-2"
        >
          <IconFocusCentered size={17} stroke={1.7} />
        </button>
      </div>
    </div>
  );
}
