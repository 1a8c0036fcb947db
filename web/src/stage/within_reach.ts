import type { Point } from "./frame_plane";
import type { Area } from "./views";

/** Pixels from a view's rim, and from its upper side, on which controls lie, that a handle's middle keeps. */
const RIM = 18;
const TOP = 58;
/** Pixels from the handle in the middle that another one keeps. */
const APART = 34;
/** How much more of the rim those keep that must not come to lie on the outermost, in pixels. */
export const INNER = 30;

/** Where a handle lies that belongs at a place: nearer to the middle where it would not be seen, unless it came to lie
 * on the handle there.
 */
export function withinReach(at: Point, middle: Point, area: Area, more = 0): Point {
  const [dx, dy] = [at.x - middle.x, at.y - middle.y];
  const across = (dx > 0 ? area.x + area.width - middle.x : middle.x - area.x) - RIM - more;
  const down = (dy > 0 ? area.y + area.height - RIM - middle.y : middle.y - area.y - TOP) - more;
  const share = Math.min(1, across / Math.max(Math.abs(dx), 1e-9), down / Math.max(Math.abs(dy), 1e-9));
  return share * Math.hypot(dx, dy) < APART ? at : { x: middle.x + share * dx, y: middle.y + share * dy };
}
