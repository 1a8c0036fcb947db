import { useEffect, useState } from "react";

import { Gallery } from "./gallery/gallery";
import { takeDrops } from "./state/drops";
import { applyTheme } from "./state/theme";
import { Workspace } from "./workspace/workspace";

/** The address says what is open: `#/` the gallery, `#/project/ID` the workspace. */
function openProject(): string | null {
  return /^#\/project\/([0-9a-f]+)$/.exec(location.hash)?.[1] ?? null;
}

export function App() {
  const [project, setProject] = useState(openProject);
  useEffect(() => {
    applyTheme();
    const changed = () => setProject(openProject());
    addEventListener("hashchange", changed);
    return () => removeEventListener("hashchange", changed);
  }, []);
  // An open project takes them itself.
  useEffect(() => (project ? undefined : takeDrops(null)), [project]);
  return project ? <Workspace key={project} project={project} /> : <Gallery />;
}
