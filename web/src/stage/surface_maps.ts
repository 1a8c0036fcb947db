import * as THREE from "three";

import type { Rectangle } from "../api/wire";
import { anisotropyOf } from "./anisotropy";

/** Rectangles come aligned to tiles of this many texels, so six mip levels follow from a rectangle alone. */
const TILE = 64;
const TILE_LEVELS = 6;
/** Which of a surface's pictures holds the values. */
const VALUES = 1;
/** Tiles along a side of what is filled at once. */
const BLOCK = 8;
/** Of four bytes in a number the first and the third; and, for both, half of what a quarter of them is rounded by. */
const EVEN = 0x00ff00ff;
const ROUNDING = 0x00020002;

/** One picture on the GPU. Mip levels are made here, because making them all on the GPU for every dab is slow.
 *
 * As long as all of it is one color it is a single texel there.
 */
class Picture {
  readonly texture: THREE.DataTexture;
  /** One texel per tile: what the levels above are made from. */
  private readonly coarse: Uint8Array;
  private readonly columns: number;
  private readonly rows: number;
  private coarseStale = false;
  /** The one color of all tiles that have come; null before the first one, and once there is another. */
  private color: number | null = null;
  private spread = false;
  private readonly seen: Uint8Array;
  /** While all of it has come coarse: the level that it is, and the tiles that have not come finely since. */
  private draft = 0;
  private readonly rough: Uint8Array;
  private roughTiles = 0;
  /** Tiles that have not come yet, of how many there are. */
  missing: number;
  readonly tiles: number;

  constructor(
    private readonly renderer: THREE.WebGLRenderer,
    private readonly width: number,
    private readonly height: number,
    colorSpace: THREE.ColorSpace,
  ) {
    this.columns = width / TILE;
    this.rows = height / TILE;
    this.coarse = new Uint8Array(this.columns * this.rows * 4);
    this.tiles = this.missing = this.columns * this.rows;
    this.seen = new Uint8Array(this.tiles);
    this.rough = new Uint8Array(this.tiles);
    const texture = new THREE.DataTexture(null, 1, 1, THREE.RGBAFormat, THREE.UnsignedByteType);
    texture.colorSpace = colorSpace;
    texture.wrapS = texture.wrapT = THREE.RepeatWrapping;
    texture.magFilter = THREE.LinearFilter;
    texture.minFilter = THREE.LinearMipmapLinearFilter;
    texture.anisotropy = anisotropyOf(renderer);
    texture.generateMipmaps = true;
    texture.mipmapsAutoUpdate = false;
    this.texture = texture;
    this.allocate(1, 1);
  }

  /** Texels that it has on the GPU, smaller levels not counted. */
  get texels(): number {
    return this.spread ? this.width * this.height : 1;
  }

  private allocate(width: number, height: number): void {
    const { texture } = this;
    texture.dispose();
    texture.source = new THREE.TextureSource({ data: null, width, height });
    // Storage only: all pixels come as rectangles.
    texture.source.dataReady = false;
    texture.needsUpdate = true;
    this.renderer.initTexture(texture);
  }

  /** Whether a draft of it is shown, as not all of it has come as it is. */
  get drafted(): boolean {
    return this.draft > 0;
  }

  put(rectangle: Rectangle): void {
    if (rectangle.coarse && rectangle.width === this.width && rectangle.height === this.height) this.sketch(rectangle);
    else if (this.spread) this.write(rectangle);
    else this.putFirst(rectangle);
  }

  /** As long as all of it may be one color. */
  private putFirst(rectangle: Rectangle): void {
    const color = rectangle.uniform ? new Uint32Array(rectangle.pixels.slice(0, 4).buffer)[0]! : null;
    if (color !== null && (this.color === null || this.color === color)) {
      if (this.color === null) this.upload(rectangle.pixels, 0, 0, 1, 1, 0);
      this.color = color;
      return this.mark(rectangle);
    }
    this.spread = true;
    this.allocate(this.width, this.height);
    if (this.color !== null) this.fill(this.color);
    this.write(rectangle);
  }

  /** All of it, coarse: the finest levels are passed over until everything has come finely. */
  private sketch({ pixels, coarse }: Rectangle): void {
    if (!this.spread) {
      this.spread = true;
      this.allocate(this.width, this.height);
    }
    this.color = null;
    this.rough.fill(1);
    this.roughTiles = this.tiles;
    this.beginAt(coarse);
    this.upload(pixels, 0, 0, this.width >> coarse, this.height >> coarse, coarse);
    this.shrink(pixels, 0, 0, this.width >> coarse, this.height >> coarse, coarse + 1, false);
  }

  /** The finest level that is looked at. */
  private beginAt(level: number): void {
    if (level === this.draft) return;
    this.draft = level;
    const { __webglTexture: texture } = this.renderer.properties.get(this.texture) as { __webglTexture: WebGLTexture };
    const gl = this.renderer.getContext() as WebGL2RenderingContext;
    this.renderer.state.bindTexture(gl.TEXTURE_2D, texture);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_BASE_LEVEL, level);
  }

  /** Every texel takes the color that the single one had. */
  private fill(color: number): void {
    const pixels = new Uint8Array(new Uint32Array([color]).buffer);
    const { missing, seen } = { missing: this.missing, seen: this.seen.slice() };
    const side = BLOCK * TILE;
    for (let y = 0; y < this.height; y += side) {
      for (let x = 0; x < this.width; x += side) {
        const [width, height] = [Math.min(side, this.width - x), Math.min(side, this.height - y)];
        this.write({ surface: 0, picture: 0, x, y, width, height, pixels, uniform: true, coarse: 0 });
      }
    }
    // What has not come yet is still to come.
    this.missing = missing;
    this.seen.set(seen);
  }

  /** The tiles of a rectangle have come. */
  private mark({ x, y, width, height }: Rectangle): void {
    for (let row = y / TILE; row < (y + height) / TILE; row++) {
      const at = row * this.columns + x / TILE;
      for (let tile = at; tile < at + width / TILE; tile++) {
        if (!this.seen[tile]) this.missing--;
        this.seen[tile] = 1;
        if (this.rough[tile]) this.roughTiles--;
        this.rough[tile] = 0;
      }
    }
  }

  private write(rectangle: Rectangle): void {
    let { x, y, width, height } = rectangle;
    let pixels = rectangle.pixels;
    let first = 1;
    if (rectangle.uniform) {
      const value = new Uint32Array(pixels.slice(0, 4).buffer)[0]!;
      pixels = new Uint8Array(new Uint32Array(width * height).fill(value).buffer);
    }
    const { coarse } = rectangle;
    if (coarse) {
      // What has come coarse is still to come.
      [pixels, x, y, width, height] = [pixels.slice(), x >> coarse, y >> coarse, width >> coarse, height >> coarse];
      let finer = pixels;
      for (let level = coarse, scale = 1; level >= this.draft; level--, scale *= 2) {
        this.upload(finer, x * scale, y * scale, width * scale, height * scale, level);
        if (level > this.draft) finer = doubled(finer, width * scale, height * scale);
      }
      first = coarse + 1;
    } else {
      this.mark(rectangle);
      this.upload(pixels, x, y, width, height, 0);
    }
    this.shrink(pixels, x, y, width, height, first, rectangle.uniform);
    if (this.draft && !this.roughTiles) this.beginAt(0);
  }

  /** The smaller levels from one on, of a rectangle in the level before it. */
  private shrink(pixels: Uint8Array, x: number, y: number, width: number, height: number, first: number, uniform: boolean): void {
    for (let level = first; level <= TILE_LEVELS; level++) {
      pixels = uniform ? pixels.subarray(0, width * height) : halved(pixels, width, height);
      x /= 2;
      y /= 2;
      width /= 2;
      height /= 2;
      this.upload(pixels, x, y, width, height, level);
    }
    for (let row = 0; row < height; row++) {
      const at = (y + row) * this.columns + x;
      this.coarse.set(pixels.subarray(row * width * 4, (row + 1) * width * 4), at * 4);
    }
    this.coarseStale = true;
  }

  /** Bring the few smallest levels up to date, once per frame. */
  settle(): void {
    if (!this.coarseStale) return;
    this.coarseStale = false;
    let pixels = this.coarse;
    let width = this.columns;
    let height = this.rows;
    for (let level = TILE_LEVELS + 1; width > 1 || height > 1; level++) {
      pixels = halved(pixels, width, height);
      width = Math.max(1, width >> 1);
      height = Math.max(1, height >> 1);
      this.upload(pixels, 0, 0, width, height, level);
    }
  }

  private upload(pixels: Uint8Array, x: number, y: number, width: number, height: number, level: number): void {
    // A new source each time: the renderer copies from a texture it knows on the GPU, which would be stale.
    const source = new THREE.DataTexture(pixels as Uint8Array<ArrayBuffer>, width, height, THREE.RGBAFormat);
    source.colorSpace = this.texture.colorSpace;
    this.renderer.copyTextureToTexture(source, this.texture, null, new THREE.Vector2(x, y), 0, level);
  }

  dispose(): void {
    this.texture.dispose();
  }
}

/** Each texel as 2 × 2. */
function doubled(pixels: Uint8Array, width: number, height: number): Uint8Array<ArrayBuffer> {
  const from = new Uint32Array(pixels.buffer, pixels.byteOffset, width * height);
  const out = new Uint32Array(4 * width * height);
  for (let row = 0; row < height; row++) {
    const to = 4 * row * width;
    for (let column = 0; column < width; column++) {
      const texel = from[row * width + column]!;
      out[to + 2 * column] = out[to + 2 * column + 1] = texel;
    }
    out.copyWithin(to + 2 * width, to, to + 2 * width);
  }
  return new Uint8Array(out.buffer);
}

/** Mean of 2 × 2 texels; a side of one stays one. Two channels are added at once, in the halves of a number. */
function halved(pixels: Uint8Array, width: number, height: number): Uint8Array<ArrayBuffer> {
  // Signed ones, as numbers beyond them would be worked out as fractions, which takes twice as long.
  const from = new Int32Array(pixels.buffer, pixels.byteOffset, width * height);
  const w = Math.max(1, width >> 1);
  const h = Math.max(1, height >> 1);
  const [right, below] = [width > 1 ? 1 : 0, height > 1 ? width : 0];
  const out = new Int32Array(w * h);
  for (let row = 0, to = 0; row < h; row++) {
    let at = 2 * row * width;
    for (let column = 0; column < w; column++, at += 2) {
      const a = from[at]!;
      const b = from[at + right]!;
      const c = from[at + below]!;
      const d = from[at + right + below]!;
      const even = (a & EVEN) + (b & EVEN) + (c & EVEN) + (d & EVEN) + ROUNDING;
      const odd = ((a >>> 8) & EVEN) + ((b >>> 8) & EVEN) + ((c >>> 8) & EVEN) + ((d >>> 8) & EVEN) + ROUNDING;
      out[to++] = ((even >>> 2) & EVEN) | (((odd >>> 2) & EVEN) << 8);
    }
  }
  return new Uint8Array(out.buffer);
}

/** Whether a rectangle of values has anything that is not solid: their last channel is the opacity. */
function letsThrough({ pixels }: Rectangle): boolean {
  for (let at = 3; at < pixels.length; at += 4) if (pixels[at]! < 255) return true;
  return false;
}

/** The composited maps of one surface. */
export class SurfaceMaps {
  private seenThrough = false;
  private tell: () => void = () => undefined;
  readonly pictures: [color: Picture, values: Picture, relief: Picture];

  constructor(
    renderer: THREE.WebGLRenderer,
    private readonly width: number,
    private readonly height: number,
  ) {
    this.pictures = [
      new Picture(renderer, width, height, THREE.SRGBColorSpace),
      new Picture(renderer, width, height, THREE.NoColorSpace),
      new Picture(renderer, width, height, THREE.NoColorSpace),
    ];
  }

  fits({ width, height }: { width: number; height: number }): boolean {
    return width === this.width && height === this.height;
  }

  get color(): THREE.Texture {
    return this.pictures[0].texture;
  }

  get values(): THREE.Texture {
    return this.pictures[1].texture;
  }

  get relief(): THREE.Texture {
    return this.pictures[2].texture;
  }

  /** Call this as soon as anything is not solid; it stays so. */
  whenSeenThrough(tell: () => void): void {
    this.tell = tell;
    if (this.seenThrough) tell();
  }

  /** Whether a draft of any of them is shown. */
  get drafted(): boolean {
    return this.pictures.some((picture) => picture.drafted);
  }

  /** Returns whether they look different now: what comes finely under a draft is shown when all has come. */
  put(rectangle: Rectangle): boolean {
    this.pictures[rectangle.picture]?.put(rectangle);
    if (rectangle.picture === VALUES && !this.seenThrough && letsThrough(rectangle)) {
      this.seenThrough = true;
      this.tell();
    }
    return rectangle.coarse > 0 || !this.drafted;
  }

  settle(): void {
    for (const picture of this.pictures) picture.settle();
  }

  dispose(): void {
    for (const picture of this.pictures) picture.dispose();
  }
}
