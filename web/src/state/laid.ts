import { useEffect, useRef, useState } from "react";

import type { Showable } from "../api/outgoing";
import { whenReleased } from "./held";
import type { Project } from "./project";

/** Milliseconds after which a control that no pointer holds, as by keys, counts as let go. */
const REST = 250;
/** Milliseconds after which what was sent counts as refused, when nothing has come back. */
const PATIENCE = 15_000;

/** Whether a pointer is pressed: what it holds has not come to rest, however long it lies still. */
let pressed = false;
for (const kind of ["pointerdown", "pointerup", "pointercancel"] as const) {
  window.addEventListener(kind, () => (pressed = kind === "pointerdown"), { capture: true });
}

/** A value that shows to everybody while it changes, and is one undo step when it rests. */
export function useLaid<T>(value: T, project: Project, edit: (value: T) => Showable): [T, (next: T) => void] {
  const [moving, setMoving] = useState<{ value: T; before: T; sent: boolean } | null>(null);
  // What was sent has come back, or something else instead.
  if (moving?.sent && moving.before !== value) setMoving(null);
  // A control that goes, as when another layer is chosen, has come to rest.
  const atLast = useRef(() => {});
  useEffect(() => () => atLast.current(), []);
  useEffect(() => {
    atLast.current = () => {};
    if (!moving) return;
    const settle = () => {
      if (moving.sent || moving.value === value) {
        project.send({ type: "show", edit: null });
        return setMoving(null);
      }
      project.send(edit(moving.value));
      setMoving({ ...moving, before: value, sent: true });
    };
    if (!moving.sent) atLast.current = settle;
    if (pressed && !moving.sent) return whenReleased(settle);
    // A stroke may have begun meanwhile, which is not to be interrupted.
    const rest = () => (pressed && !moving.sent ? (stop = whenReleased(settle)) : settle());
    const timer = setTimeout(rest, moving.sent ? PATIENCE : REST);
    let stop = () => clearTimeout(timer);
    return () => stop();
    // What an edit is made of does not change while it moves.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [moving, value, project]);
  return [
    moving ? moving.value : value,
    (next) => {
      setMoving({ value: next, before: value, sent: false });
      project.send({ type: "show", edit: edit(next) });
    },
  ];
}
