import type { LayerState, SurfaceState } from "../state/document";
import { useRows } from "../state/layers";

const MAPS = ["base_color", "roughness", "metallic", "height", "opacity"];

interface Props {
  node: LayerState;
  surface: SurfaceState;
  project: string;
  of: "paint" | "mask";
}

/** A small picture of what a layer holds, or of its mask; it follows every stroke. */
export function Thumbnail({ node, surface, project, of }: Props) {
  const edition = useRows(({ editions }) =>
    (of === "mask" ? ["mask"] : MAPS).reduce((sum, plane) => sum + (editions[`${node.id}/${plane}`] ?? 0), 0),
  );
  const own = node.kind === "decals" ? (node.placed?.at(-1)?.picture ?? "") : node.kind === "wash" ? encodeURIComponent(JSON.stringify([node.pigment, node.images])) : "";
  const version = `${edition}.${own}.${surface.width}x${surface.height}.${of === "mask" ? (node.mask?.start ?? 1) : ""}`;
  return (
    <img
      alt=""
      draggable={false}
      src={`/api/projects/${project}/nodes/${node.id}/thumbnail?of=${of}&v=${version}`}
      className="max-h-8 min-h-4 max-w-8 min-w-4 bg-[repeating-conic-gradient(#b9bfbd_0_25%,#d7dbda_0_50%)] bg-[length:10px_10px] [image-rendering:auto]"
    />
  );
}
