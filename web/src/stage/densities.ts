import type { Overlays } from "./overlays";
import type { SurfaceGeometry } from "./surface_geometry";
import { densityOf } from "./uv_display";

/** Texels to a model unit on surfaces, worked out once for each. */
export class Densities {
  private readonly known = new WeakMap<SurfaceGeometry, number>();

  of(geometry: SurfaceGeometry | undefined, overlays: Overlays | undefined): number {
    if (!geometry || !overlays) return 0;
    const known = this.known.get(geometry);
    if (known !== undefined) return known;
    const density = densityOf(geometry, overlays.width, overlays.height, () => true);
    this.known.set(geometry, density);
    return density;
  }
}
