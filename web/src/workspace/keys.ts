import type { Stage } from "../stage/stage";
import { setTip, useDesk } from "../state/desk";
import type { Project } from "../state/project";

export const LARGEST_RADIUS = 400;

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
  const { tip } = useDesk.getState();
  switch (key) {
    case "p":
      useDesk.setState({ tool: "brush" });
      break;
    case "e":
      useDesk.setState({ tool: "erase" });
      break;
    case ",":
      setTip({ radius: Math.max(1, tip.radius / 1.1) });
      break;
    case ".":
      setTip({ radius: Math.min(LARGEST_RADIUS, tip.radius * 1.1) });
      break;
    case "h":
      stage.frameAll();
      break;
    case "m":
      useDesk.setState(({ view }) => ({ view: view === "model" ? "side" : view === "side" ? "map" : "model" }));
      break;
    default:
      return false;
  }
  return true;
}
