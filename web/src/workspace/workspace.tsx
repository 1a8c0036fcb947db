import { useEffect, useRef, useState } from "react";

import { Stage, type StageNews } from "../stage/stage";
import { PreparePanel } from "../prepare/prepare_panel";
import { PrepareTray } from "../prepare/prepare_tray";
import { IslandBox } from "../prepare/island_box";
import { MissingPictures } from "../prepare/missing_pictures";
import { KeyList } from "../commands/key_list";
import { listenToKeys } from "../commands/listen";
import { keepChecking } from "../state/checkup";
import { useCards } from "../state/cards";
import { shownView, useDesk } from "../state/desk";
import { takeDrops } from "../state/drops";
import { useMaskAlone } from "../state/mask_alone";
import { Project } from "../state/project";
import { sayBriefly } from "../state/notices";
import { takeNotes } from "../state/opening_notes";
import { useSession } from "../state/session";
import { DecalOverlay } from "./decal_overlay";
import { FINISH_TYPE, FinishesCard, layFinish } from "./finishes_card";
import { useGraphicsContext } from "./graphics_context";
import { Guides } from "./guides";
import { NodeCard } from "./node_card";
import { Notice } from "./notice";
import { References } from "./references";
import { StackPanel } from "./stack_panel";
import { StencilCard } from "./stencil_card";
import { StencilOverlay } from "./stencil_overlay";
import { StageControls } from "./stage_controls";
import { TopBar } from "./top_bar";
import { Tray } from "./tray";
import { TipCard } from "./tip_card";
import { UvBanner } from "./uv_banner";
import { WashOverlay } from "./wash_overlay";
import { WipeBar } from "./wipe_bar";
import { WorkBar } from "./work_bar";

const AWAY = "The server does not answer. The project opens as soon as it does; nothing that was kept is lost.";
const LET_GO = "The graphics card has let go of the picture, as it does after sleep. It comes back by itself; nothing you painted is lost. Should it stay away, reload the page.";
const NO_GRAPHICS = "This browser cannot draw the model: WebGL 2 is missing or switched off. Switch on graphics acceleration in its settings, or open the project in another browser.";

/** While something is painted or a handle is held, handles over the stage are hardly seen: what lies below is looked at. */
const RECEDING = "active:[&_[data-over-stage]_button]:opacity-25";

/** One project: what on the left, with what at the bottom, where in the middle. */
export function Workspace({ project: id }: { project: string }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const graphics = useGraphicsContext(canvas);
  const opened = useRef<Project>(null);
  const [open, setOpen] = useState<{ project: Project; stage: Stage } | null>(null);
  const [news, setNews] = useState<StageNews>({ share: 0 });
  const loaded = useSession((session) => session.state !== null);
  const notice = useSession((session) => session.notice);
  const away = useSession((session) => session.away);
  const view = useDesk(shownView);
  const preparing = useDesk((desk) => desk.stage === "prepare");
  // To the other tools a press at an island's corner means what it means beside it.
  const islands = useDesk((desk) => desk.stage === "prepare" && desk.preparing.tool === "pick");
  const shown = useCards((cards) => cards.open);
  const card = preparing ? null : shown;
  useMaskAlone(open?.project);

  useEffect(() => {
    if (graphics === null) return;
    const project = (opened.current ??= new Project(id));
    let stopCheckup: (() => void) | null = null;
    const stage = stageOn(canvas.current!, project, (now) => {
      setNews(now);
      // Not before all is seen: the server would work at both at once.
      if ("share" in now && now.share === 1) stopCheckup ??= keepChecking(id);
      const notes = takeNotes(id);
      if (notes) useSession.setState({ notice: notes });
    });
    if (!stage) return;
    project.socket.connect();
    const stopKeys = listenToKeys({ project, stage });
    const stopDrops = takeDrops(project);
    setOpen({ project, stage });
    return () => {
      stopKeys();
      stopDrops();
      stopCheckup?.();
      stage.dispose();
      setNews({ share: 0 });
    };
  }, [id, graphics]);

  // Later than its stage.
  useEffect(
    () => () => {
      opened.current?.close();
      opened.current = null;
    },
    [id],
  );

  const ready = "share" in news && news.share === 1;
  const progress = away && !loaded ? AWAY : `Opening the project … ${Math.round(("share" in news ? news.share : 0) * 100)}%`;
  const opening = graphics === null ? LET_GO : "failure" in news ? news.failure : progress;
  return (
    <main className={`grid h-full overflow-hidden ${preparing ? "grid-cols-[272px_minmax(0,1fr)]" : card ? "grid-cols-[236px_minmax(0,1fr)_304px]" : "grid-cols-[236px_minmax(0,1fr)]"} grid-rows-[42px_minmax(0,1fr)_176px] gap-2.5 p-3`}>
      <h1 className="sr-only">The painter’s desk</h1>
      <div className="col-span-full">{open && <TopBar project={open.project} stage={open.stage} />}</div>
      <div className="min-h-0">
        {open && loaded && (preparing ? <PreparePanel project={open.project} /> : <StackPanel project={open.project} />)}
      </div>
      <div
        className={`relative min-w-0 overflow-hidden rounded-card ${RECEDING}`}
        onDragOver={(event) => event.dataTransfer.types.includes(FINISH_TYPE) && event.preventDefault()}
        onDrop={(event) => {
          const name = event.dataTransfer.getData(FINISH_TYPE);
          if (!name || !open) return;
          event.preventDefault();
          const box = canvas.current!.getBoundingClientRect();
          const met = open.stage.faceAtPlace(event.clientX - box.x, event.clientY - box.y);
          if (met) void layFinish(open.project, name, met);
          else sayBriefly("No part of the model lies there. Drop the finish onto the model, or its map.");
        }}
      >
        <canvas ref={canvas} data-ready={ready} tabIndex={-1} className={`absolute inset-0 size-full touch-none outline-none ${graphics === null ? "invisible" : ""}`} />
        {view === "side" && <div className="absolute inset-y-0 left-1/2 w-px bg-ink/20" />}
        {ready && open && !preparing && <StencilOverlay stage={open.stage} />}
        {ready && open && !preparing && <DecalOverlay stage={open.stage} />}
        {ready && open && !preparing && <WashOverlay stage={open.stage} />}
        {open && loaded && <StageControls stage={open.stage} project={open.project} />}
        {ready && open && islands && view !== "model" && <IslandBox stage={open.stage} />}
        {ready && open && (
          <div className="absolute top-11 left-0 flex max-w-[64%] flex-col items-start gap-2">
            {!preparing && <UvBanner project={open.project} />}
            <MissingPictures project={open.project} />
          </div>
        )}
        {ready && open && <References project={open.project} />}
        {ready && <WipeBar />}
        <Guides />
        {open && <WorkBar project={open.project} />}
        <Notice />
        {!ready && (
          <p role="status" className="card absolute top-1/2 left-1/2 -translate-1/2 px-5 py-3.5">
            {(!loaded ? notice : null) ?? opening}
          </p>
        )}
      </div>
      {open && <KeyList context={open} />}
      {card && open && (
        <div className="min-h-0">
          {card === "tip" ? <TipCard project={open.project} /> : card === "node" ? <NodeCard project={open.project} /> : card === "stencil" ? <StencilCard project={open.project} stage={open.stage} /> : <FinishesCard project={open.project} />}
        </div>
      )}
      <div className="col-span-full min-h-0">
        {loaded && open && (preparing ? <PrepareTray project={open.project} stage={open.stage} /> : <Tray project={open.project} />)}
      </div>
    </main>
  );
}

function stageOn(canvas: HTMLCanvasElement, project: Project, told: (news: StageNews) => void): Stage | null {
  try {
    return new Stage(canvas, project, told);
  } catch {
    told({ failure: NO_GRAPHICS });
    return null;
  }
}
