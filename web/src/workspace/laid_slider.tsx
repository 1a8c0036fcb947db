import type { Showable } from "../api/outgoing";
import { useLaid } from "../state/laid";
import type { Project } from "../state/project";
import { percent } from "../ui/numbers";
import { Slider } from "../ui/slider";

interface Props {
  label: string;
  value: number;
  min?: number;
  max?: number;
  /** How the value is written; percent else. */
  show?: (value: number) => string;
  /** What a typed number means, where that is not what is written. */
  read?: (typed: number) => number;
  fine?: boolean;
  disabled?: boolean;
  title?: string;
  project: Project;
  /** What a value means. */
  edit: (value: number) => Showable;
}

/** A number that shows while it moves, and is one undo step when it rests. */
export function LaidSlider({ label, value, min = 0, max = 1, show = percent, read, fine, disabled, title, project, edit }: Props) {
  const [shown, lay] = useLaid(value, project, edit);
  return <Slider label={label} value={shown} min={min} max={max} show={show} read={read} fine={fine} disabled={disabled} title={title} onChange={lay} />;
}
