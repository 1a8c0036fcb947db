import { useEffect, useRef } from "react";

import type { Frame, Mapping, Wash } from "../api/schema.generated";
import type { Stage } from "../stage/stage";
import { useCards } from "../state/cards";
import { useDesk } from "../state/desk";
import { useModelPlace } from "../state/map_place";
import { useMovingFrame } from "../state/moving_frame";
import { surfaceNamed, useSession } from "../state/session";
import { FrameBox } from "./frame_box";

/** Milliseconds between two pictures of what is being moved. */
const PACE = 90;

/** The frame that the chosen wash's pictures are projected from, in its shape, with handles, while its card is open. */
export function WashOverlay({ stage }: { stage: Stage }) {
  useModelPlace((place) => place.tick);
  const { surface: name, layers } = useDesk();
  const open = useCards((cards) => cards.open === "node");
  const state = useSession((session) => session.state);
  const moving = useMovingFrame();
  const node = surfaceNamed(state, name)?.layers.find(({ id }) => id === layers[surfaceNamed(state, name)!.name]);
  // What was let go has become so, or something else has.
  useEffect(() => useMovingFrame.setState({ wash: null, frame: null }), [node]);
  if (!open || node?.kind !== "wash" || !Object.keys(node.images ?? {}).length) return null;
  const mapping = node.mapping as Mapping | undefined;
  const frame = moving.wash === node.id ? moving.frame : mapping?.frame;
  if (!frame || !mapping || mapping.shape === "uv") return null;
  return <WashFrame stage={stage} wash={node} mapping={mapping} frame={frame} />;
}

function WashFrame({ stage: { project }, stage, wash, mapping, frame }: { stage: Stage; wash: Wash; mapping: Mapping; frame: Frame }) {
  const shown = useRef(0);
  const edit = (next: Frame) => ({ type: "change_node" as const, node: wash.id, mapping: { frame: next } });
  const move = (next: Frame, event: PointerEvent) => {
    useMovingFrame.setState({ wash: wash.id, frame: next });
    if (event.timeStamp - shown.current < PACE) return;
    shown.current = event.timeStamp;
    project.send({ type: "show", edit: edit(next) });
  };
  const cancel = () => {
    useMovingFrame.setState({ wash: null, frame: null });
    project.send({ type: "show", edit: null });
  };
  return <FrameBox stage={stage} frame={frame} shape={mapping.shape ?? "planar"} onMove={move} onSet={(next) => project.send(edit(next))} onCancel={cancel} />;
}
