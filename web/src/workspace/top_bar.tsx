import { IconArrowBackUp, IconArrowForwardUp, IconKeyboard } from "@tabler/icons-react";
import { useEffect } from "react";

import { COMMANDS, tooltip } from "../commands/commands";
import type { Stage } from "../stage/stage";
import { type StageName, shownView, showView, useDesk, type ViewMode } from "../state/desk";
import type { Project } from "../state/project";
import { atRisk, keptText } from "../state/kept_mark";
import { useSession } from "../state/session";
import { Mark } from "../ui/mark";
import { Named } from "../ui/named";
import { Segmented } from "../ui/segmented";
import { ThemeSwitch } from "../ui/theme_switch";
import { Versions } from "./versions";
import { HandOff } from "./hand_off";

const VIEWS: { value: ViewMode; text: string; hint: string }[] = [
  { value: "model", text: "Model", hint: tooltip("view", "The model alone") },
  { value: "side", text: "Side by side", hint: tooltip("view", "Model and map") },
  { value: "map", text: "Map", hint: tooltip("view", "The flat map alone") },
];

export function TopBar({ project, stage }: { project: Project; stage: Stage }) {
  const name = useSession((session) => session.state?.name);
  const view = useDesk(shownView);
  useEffect(() => {
    const before = document.title;
    document.title = name ? `${name} · ${before}` : before;
    return () => void (document.title = before);
  }, [name]);
  return (
    <header className="card flex h-full items-center gap-3 px-3.5 whitespace-nowrap max-[1100px]:gap-1.5">
      <a href="#/" title="All projects" className="rounded-control max-[1100px]:[&_span>span]:sr-only">
        <Mark />
      </a>
      <span className="h-5 w-px bg-fog-3" />
      <div className="flex max-w-60 min-w-0 max-[1100px]:[&_button]:hidden">
        {name && (
          <Named
            name={name} of="the project" className="font-medium"
            onRename={(next) => project.send({ type: "rename_project", name: next })}
          />
        )}
      </div>
      <KeptMark />
      <span className="grow" />
      <Stages />
      <span className="grow" />
      <HistoryButtons project={project} />
      <span className="h-5 w-px bg-fog-3" />
      <Segmented label="View" options={VIEWS} value={view} onChange={showView} />
      <span className="h-5 w-px bg-fog-3" />
      <Versions project={project} />
      <HandOff id={project.id} />
      <button
        type="button"
        title={tooltip("keys")}
        aria-label="All keys"
        onClick={() => COMMANDS.keys.act({ project, stage })}
        className="grid size-8 place-items-center rounded-control text-ink-2 hover:bg-fog-2"
      >
        <IconKeyboard size={18} stroke={1.6} />
      </button>
      <ThemeSwitch />
    </header>
  );
}

const STAGES: { value: StageName; text: string; hint: string }[] = [
  { value: "prepare", text: "Prepare", hint: tooltip("prepare") },
  { value: "paint", text: "Paint", hint: tooltip("paint") },
];

/** The stages of a painter's day, in order. */
function Stages() {
  const stage = useDesk((desk) => desk.stage);
  return (
    <nav aria-label="Stages" className="flex gap-1">
      {STAGES.map(({ value, text, hint }) => (
        <button
          key={value}
          type="button"
          aria-current={stage === value ? "step" : undefined}
          title={hint}
          onClick={() => useDesk.setState({ stage: value })}
          className={`h-8 rounded-control px-2.5 hover:bg-fog-2 ${
            stage === value ? "font-semibold underline decoration-accent decoration-3 underline-offset-7" : "text-ink-2"
          }`}
        >
          {text}
        </button>
      ))}
    </nav>
  );
}

/** What is stored for good, at all times. */
function KeptMark() {
  const kept = useSession((session) => session.kept);
  const connected = useSession((session) => session.connected);
  const people = useSession((session) => session.people);
  if (!kept) return null;
  const bad = atRisk(kept, connected);
  return (
    <span role="status" data-testid="kept" className={`flex items-center gap-1.5 text-ink-2 ${bad ? "min-w-0" : "shrink-0"}`} title={kept.trouble ?? undefined}>
      <span className={`size-2 shrink-0 rounded-full ${bad ? "bg-danger" : kept.waiting ? "bg-mark" : "bg-accent"}`} />
      <span className={`truncate ${bad ? "text-danger" : ""}`}>{keptText(kept, connected)}</span>
      {people > 1 && <span className="shrink-0">· {people} here</span>}
    </span>
  );
}

function HistoryButtons({ project }: { project: Project }) {
  const history = useSession((session) => session.history);
  const button = "flex h-8 items-center gap-1.5 rounded-control px-2 enabled:hover:bg-fog-2 disabled:text-ink-2/60";
  return (
    <>
      <button
        type="button"
        className={button}
        disabled={history.undo === null}
        title={history.undo ? tooltip("undo", `Undo ${history.undo}`) : "Nothing to undo"}
        onClick={() => project.step("undo")}
      >
        <IconArrowBackUp size={17} stroke={1.7} />
        <span className="max-[1000px]:sr-only">Undo</span>
      </button>
      <button
        type="button"
        className={button}
        disabled={history.redo === null}
        title={history.redo ? tooltip("redo", `Redo ${history.redo}`) : "Nothing to redo"}
        onClick={() => project.step("redo")}
      >
        <IconArrowForwardUp size={17} stroke={1.7} />
        <span className="max-[1000px]:sr-only">Redo</span>
      </button>
    </>
  );
}
