import type { Showable } from "../api/outgoing";
import type { Project } from "../state/project";
import { LaidSlider } from "./laid_slider";

/** The least that lies between the two. */
const APART = 0.01;

interface Props {
  low: number;
  high: number;
  labels: [low: string, high: string];
  titles: [low: string, high: string];
  show?: (value: number) => string;
  project: Project;
  /** What the two values mean. */
  edit: (low: number, high: number) => Showable;
}

/** The two ends of a range between 0 and 1; moved towards each other, one pushes the other. */
export function LaidPair({ low, high, labels, titles, show, project, edit }: Props) {
  return (
    <>
      <LaidSlider label={labels[0]} title={titles[0]} value={low} max={1 - APART} show={show} project={project} edit={(next) => edit(next, Math.max(high, next + APART))} />
      <LaidSlider label={labels[1]} title={titles[1]} value={high} min={APART} show={show} project={project} edit={(next) => edit(Math.min(low, next - APART), next)} />
    </>
  );
}
