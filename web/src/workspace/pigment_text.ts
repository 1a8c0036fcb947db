import type { Pigment } from "../api/schema.generated";
import type { Tool } from "../state/desk";

const NAMES: [keyof Pigment, string][] = [
  ["base_color", "Color"],
  ["roughness", "Rough"],
  ["metallic", "Metal"],
  ["height", "Bump"],
];

/** The maps a stroke writes, in words. */
export function carried(tool: Tool, pigment: Pigment): string {
  const maps = NAMES.filter(([key]) => pigment[key] != null).map(([, name]) => name);
  if (maps.length) return maps.join(", ");
  return tool !== "brush" ? "All maps" : "nothing: the pigment is empty";
}
