import { useEffect, useState } from "react";

import type { Showable } from "../api/outgoing";
import type { Project } from "../state/project";
import { Slider } from "../ui/slider";

/** Milliseconds after which a slider counts as let go. */
const REST = 250;

interface Props {
  label: string;
  value: number;
  project: Project;
  /** What a value means. */
  edit: (value: number) => Showable;
}

/** A share that shows while it moves, and is one undo step when it rests. */
export function LaidSlider({ label, value, project, edit }: Props) {
  const [moving, setMoving] = useState<number | null>(null);
  useEffect(() => {
    if (moving === null) return;
    const timer = setTimeout(() => {
      if (moving !== value) project.send(edit(moving));
      setMoving(null);
    }, REST);
    return () => clearTimeout(timer);
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [moving, value, project]);
  return (
    <Slider
      label={label} value={moving ?? value} min={0} max={1} show={(share) => `${Math.round(share * 100)}%`}
      onChange={(next) => {
        setMoving(next);
        project.send({ type: "show", edit: edit(next) });
      }}
    />
  );
}
