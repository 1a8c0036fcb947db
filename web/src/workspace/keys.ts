import { LARGEST_RADIUS } from "../stage/hand";
import type { Stage } from "../stage/stage";
import { type PrepareTool, setPreparing, setTip, shownView, showView, swapPigments, type Tool, useDesk } from "../state/desk";
import { pick, pickedRuns } from "../state/picks";
import type { Project } from "../state/project";
import { useSession } from "../state/session";

const TOOL_KEYS: Record<string, Tool> = {
  p: "brush", e: "erase", s: "smear", o: "soften", a: "sharpen", c: "clone", f: "fill", g: "gradient", i: "sample",
}; // prettier-ignore

/** Keys of the workspace; none while something is being typed. Returns how to stop listening. */
export function listenToKeys(project: Project, stage: Stage): () => void {
  const pressed = (event: KeyboardEvent) => {
    const target = event.target as HTMLElement;
    if (target.matches("input:not([type=range]), textarea, select")) return;
    if (act(event, project, stage)) event.preventDefault();
  };
  addEventListener("keydown", pressed);
  return () => removeEventListener("keydown", pressed);
}

function act(event: KeyboardEvent, project: Project, stage: Stage): boolean {
  const key = event.key.toLowerCase();
  if (event.ctrlKey || event.metaKey) {
    if (key === "z") project.send({ type: event.shiftKey ? "redo" : "undo" });
    else if (key === "y") project.send({ type: "redo" });
    else return false;
    return true;
  }
  if (key === "1" || key === "2") {
    useDesk.setState({ stage: key === "1" ? "prepare" : "paint" });
    return true;
  }
  if (key === "h") {
    stage.frameAll();
    return true;
  }
  if (key === "m") {
    const view = shownView(useDesk.getState());
    showView(view === "model" ? "side" : view === "side" ? "map" : "model");
    return true;
  }
  if (key === "n") {
    stage.faceOn();
    return true;
  }
  return useDesk.getState().stage === "prepare" ? prepareKey(key, project, stage) : paintKey(key);
}

function prepareKey(key: string, project: Project, stage: Stage): boolean {
  const tool = { v: "pick", s: "edge", l: "loop" }[key] as PrepareTool | undefined;
  const nudge = { arrowleft: [-1, 0], arrowright: [1, 0], arrowup: [0, -1], arrowdown: [0, 1] }[key];
  if (tool) setPreparing({ tool });
  else if (key === "escape") pick([], "replace");
  else if (nudge) nudgeIslands(project, stage, nudge[0]!, nudge[1]!);
  else return false;
  return true;
}

/** The picked islands go by a texel. */
function nudgeIslands(project: Project, stage: Stage, x: number, y: number): void {
  const surface = useSession.getState().state?.surfaces[stage.chosen];
  const faces = pickedRuns(stage.chosen);
  const { keepPaint: keep_paint } = useDesk.getState().preparing;
  if (surface && faces) {
    project.send({ type: "move_islands", surface: surface.name, faces, matrix: [1, 0, 0, 1, x, y], keep_paint });
  }
}

function paintKey(key: string): boolean {
  const { tip } = useDesk.getState();
  const tool = TOOL_KEYS[key];
  if (tool) {
    useDesk.setState({ tool });
    return true;
  }
  switch (key) {
    case "x":
      swapPigments();
      break;
    case ",":
      setTip({ radius: Math.max(1, tip.radius / 1.1) });
      break;
    case ".":
      setTip({ radius: Math.min(LARGEST_RADIUS, tip.radius * 1.1) });
      break;
    case "<":
      setTip({ hardness: Math.max(0, tip.hardness - 0.05) });
      break;
    case ">":
      setTip({ hardness: Math.min(1, tip.hardness + 0.05) });
      break;
    default:
      return false;
  }
  return true;
}
