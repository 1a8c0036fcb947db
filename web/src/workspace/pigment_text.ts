import type { Pigment } from "../api/schema.generated";
import type { Desk, Tool } from "../state/desk";
import { isStencilled } from "../state/stencils";

const NAMES: [keyof Pigment, string][] = [
  ["base_color", "Color"],
  ["roughness", "Rough"],
  ["metallic", "Metal"],
  ["height", "Bump"],
  ["opacity", "Solid"],
];
/** What lays the pigment on, and does nothing without one. */
const LAYS_ON: Tool[] = ["brush", "fill", "gradient"];

/** The maps that the tool at hand works on, in words. */
export function carried(desk: Desk): string {
  const { tool, pigment, eraseAll, fillAway, stencil } = desk;
  const takesAway = tool === "erase" || (tool === "fill" && fillAway);
  if (takesAway && eraseAll) return "All maps";
  const stencilled = tool === "brush" && isStencilled(desk);
  const maps = NAMES.filter(([key]) => pigment[key] != null || (stencilled && key in stencil.maps)).map(([, name]) => name);
  if (maps.length) return maps.join(", ");
  if (stencilled) return "the picture’s color";
  return LAYS_ON.includes(tool) && !takesAway ? "nothing: the pigment is empty" : "All maps";
}
