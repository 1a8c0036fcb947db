import { useEffect } from "react";

import { useRows } from "./layers";
import type { Project } from "./project";
import { layerById, useSession } from "./session";

export const toggleMaskAlone = (node: string): void => useRows.setState(({ maskAlone }) => ({ maskAlone: maskAlone === node ? null : node }));

/** While a mask is seen alone, it is asked for again after each change: any of them takes back what is only shown. */
export function useMaskAlone(project: Project | undefined): void {
  const node = useRows((rows) => rows.maskAlone);
  const state = useSession((session) => session.state);
  const there = Boolean(node && layerById(state, node)?.mask);
  useEffect(() => {
    if (!project || !node) return;
    if (!there) return useRows.setState({ maskAlone: null });
    project.send({ type: "show", edit: { type: "show_mask", node } });
  }, [project, node, there, state]);
  useEffect(() => {
    if (!project || !node) return;
    return () => void project.socket.send({ type: "show", edit: null });
  }, [project, node]);
}
