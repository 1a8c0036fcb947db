import type { Checkup, FindingState } from "../api/schema.generated";
import { useDesk } from "../state/desk";
import type { Runs } from "../state/picks";
import type { Project } from "../state/project";

export const CURES: Record<FindingState["cure"], string> = {
  unwrap: "Unwrap anew",
  pack: "Pack islands",
  unflip: "Turn over",
  even: "Even out",
};

/** One click that mends a finding: one undo step. */
export function cure(project: Project, checkup: Checkup, finding: FindingState): void {
  const { angle, margin, keepPaint: keep_paint } = useDesk.getState().preparing;
  const name = checkup.surface;
  const faces = finding.faces as Runs;
  const count = faces.reduce((sum, [first, end]) => sum + end - first, 0);
  switch (finding.cure) {
    case "unwrap":
      project.send({
        // Where most is wrong, beginning anew gives the better map.
        type: "unwrap", surface: name, faces: count > checkup.faces / 2 ? null : faces, method: "auto", angle, margin,
        frame: null, leader: null, keep_paint,
      }); // prettier-ignore
      break;
    case "pack":
      project.send({ type: "pack", surface: name, faces: null, margin, keep_paint });
      break;
    case "unflip":
      project.send({ type: "arrange", surface: name, faces, how: "unflip", margin, keep_paint });
      break;
    case "even":
      project.send({ type: "even_out", surface: name, margin, keep_paint });
      break;
  }
}
