import type { Overlays } from "./overlays";
import type { SurfaceGeometry } from "./surface_geometry";

/** a, b, c, d, e, f: x' = a·x + c·y + e, y' = b·x + d·y + f, in texels. */
export type Matrix = [number, number, number, number, number, number];

/** Islands held by the painter: their UVs follow a matrix at once, in both views, until the server has its say. */
export class IslandGrip {
  private readonly vertices: Uint32Array;
  private readonly before: Float32Array;
  /** Their box, in texels. */
  readonly low: [number, number] = [Infinity, Infinity];
  readonly high: [number, number] = [-Infinity, -Infinity];

  constructor(
    private readonly surface: SurfaceGeometry,
    private readonly overlays: Overlays,
    island: Uint32Array,
    islands: ReadonlySet<number>,
  ) {
    const { uv } = surface;
    this.vertices = surface.verticesOf((face) => islands.has(island[face]!));
    this.before = new Float32Array(this.vertices.length * 2);
    this.vertices.forEach((v, i) => {
      const place = [uv.getX(v) * overlays.width, uv.getY(v) * overlays.height] as const;
      for (const k of [0, 1] as const) {
        this.before[2 * i + k] = place[k];
        this.low[k] = Math.min(this.low[k], place[k]);
        this.high[k] = Math.max(this.high[k], place[k]);
      }
    });
  }

  /** Show the islands where a matrix takes them. */
  preview([a, b, c, d, e, f]: Matrix): void {
    const { uv } = this.surface;
    this.vertices.forEach((v, i) => {
      const x = this.before[2 * i]!;
      const y = this.before[2 * i + 1]!;
      uv.setXY(v, (a * x + c * y + e) / this.overlays.width, (b * x + d * y + f) / this.overlays.height);
    });
    uv.needsUpdate = true;
    this.overlays.follow();
  }

  letGo(): void {
    this.preview([1, 0, 0, 1, 0, 0]);
  }
}
