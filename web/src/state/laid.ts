import { useEffect, useState } from "react";

import type { Showable } from "../api/outgoing";
import type { Project } from "./project";

/** Milliseconds after which a control counts as let go. */
const REST = 250;

/** A value that shows to everybody while it changes, and is one undo step when it rests. */
export function useLaid<T>(value: T, project: Project, edit: (value: T) => Showable): [T, (next: T) => void] {
  const [moving, setMoving] = useState<{ value: T } | null>(null);
  useEffect(() => {
    if (!moving) return;
    const timer = setTimeout(() => {
      project.send(moving.value === value ? { type: "show", edit: null } : edit(moving.value));
      setMoving(null);
    }, REST);
    return () => clearTimeout(timer);
    // What an edit is made of does not change while it moves.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [moving, value, project]);
  return [
    moving ? moving.value : value,
    (next) => {
      setMoving({ value: next });
      project.send({ type: "show", edit: edit(next) });
    },
  ];
}
