import type { Batch } from "../api/wire";
import type { SurfaceMaps } from "./surface_maps";

type Sizes = readonly { width: number; height: number }[];

/** Pixels that have come, and wait for the next frame to go up with it. */
export class Arrivals {
  private waiting: { batch: Batch; sizes: Sizes }[] = [];

  /** sizes: of the surfaces' maps at that time. */
  add(batch: Batch, sizes: Sizes): void {
    this.waiting.push({ batch, sizes });
  }

  /** Bring them all up; returns the batches that they were, and whether anything looks different now. */
  bringUp(maps: readonly SurfaceMaps[]): { batches: Batch[]; seen: boolean } {
    const waiting = this.waiting.splice(0);
    let seen = false;
    for (const { batch, sizes } of waiting) {
      for (const rectangle of batch.rectangles) {
        const [into, size] = [maps[rectangle.surface], sizes[rectangle.surface]];
        // What came for maps of a size that they no longer have is out of date: all of them comes anew.
        if (into && size && into.fits(size)) seen = into.put(rectangle) || seen;
      }
    }
    for (const each of maps) each.settle();
    return { batches: waiting.map(({ batch }) => batch), seen };
  }
}
