import * as THREE from "three";

import type { Area } from "./views";

/** Milliseconds without a frame after which a smooth one follows, and after coarse ones, of which few come a second. */
const CALM = { plain: 250, coarse: 500 };
/** Milliseconds between two frames within which a view turns on, and did not only jump. */
const TURNING = 400;
/** Triangles beyond which one smooth frame would keep the next stroke waiting. */
const MOST = 300_000;
const SAMPLES = 4;
/** Pixels along a side that are drawn as one in a coarse frame. */
const COARSE = 2;

/** Where the processor draws, frames are as fine as there is time for: coarse while the view or an edit moves,
 * smooth once nothing does. */
export class PacedFrames {
  private readonly targets = { coarse: target(0), smooth: target(SAMPLES) };
  private timer = 0;
  /** What follows now that nothing moves. */
  private atRest: "plain" | "smooth" | null = null;
  /** Where the last frame was seen from, and since when. */
  private seen = "";
  private turned = -Infinity;
  /** Of the frame that is being drawn. */
  private fineness: "coarse" | "plain" | "smooth" = "plain";

  constructor(
    private readonly renderer: THREE.WebGLRenderer,
    private readonly invalidate: () => void,
  ) {}

  /** A frame begins. seen: where from; shown: whether an edit is shown that is not made yet. */
  begin(seen: string, shown: boolean, now: number): void {
    const turned = seen !== this.seen;
    const turns = turned && now - this.turned < TURNING;
    if (turned) [this.seen, this.turned] = [seen, now];
    this.fineness = this.atRest ?? (shown || turns ? "coarse" : "plain");
    this.atRest = null;
    clearTimeout(this.timer);
  }

  /** A frame was drawn: one with smooth edges follows, when no other does; in a model of too many triangles a plain one.
   *
   * waits: whether what it shows is still worked out finely, for which the processor is needed more. */
  end(triangles: number, waits: boolean): void {
    const { fineness } = this;
    if (waits || fineness === "smooth" || (fineness === "plain" && triangles > MOST)) return;
    this.timer = window.setTimeout(() => {
      this.atRest = triangles > MOST ? "plain" : "smooth";
      this.invalidate();
    }, CALM[fineness]);
  }

  /** Draw a view where `clip` lies on the canvas, both in CSS pixels from its bottom left; false, and nothing, in a plain frame. */
  render(scene: THREE.Scene, camera: THREE.Camera, view: Area, clip: Area): boolean {
    const { renderer, fineness } = this;
    if (fineness === "plain") return false;
    const target = this.targets[fineness];
    const times = fineness === "coarse" ? COARSE : 1;
    const size = renderer.getDrawingBufferSize(new THREE.Vector2()).divideScalar(times).ceil();
    target.setSize(size.x, size.y);
    const ratio = renderer.getPixelRatio() / times;
    target.viewport.copy(around(view, ratio));
    target.scissor.copy(around(clip, ratio));
    renderer.setRenderTarget(target);
    renderer.clear();
    renderer.render(scene, camera);
    renderer.setRenderTarget(null);
    this.show(target, times);
    return true;
  }

  /** Copy what was drawn last onto the canvas, so many times larger. */
  private show(target: THREE.WebGLRenderTarget, times: number): void {
    const { renderer } = this;
    const context = renderer.getContext() as WebGL2RenderingContext;
    const { x, y, z, w } = target.scissor;
    const [right, top] = [x + z, y + w];
    const drawn = (renderer.properties.get(target) as { __webglFramebuffer: WebGLFramebuffer }).__webglFramebuffer;
    renderer.state.bindFramebuffer(context.READ_FRAMEBUFFER, drawn);
    const filter = times > 1 ? context.LINEAR : context.NEAREST;
    context.blitFramebuffer(x, y, right, top, x * times, y * times, right * times, top * times, context.COLOR_BUFFER_BIT, filter);
    renderer.state.bindFramebuffer(context.READ_FRAMEBUFFER, null);
  }

  dispose(): void {
    clearTimeout(this.timer);
    for (const each of Object.values(this.targets)) each.dispose();
  }
}

/** The pixels that hold an area, so many to a CSS pixel: none of its last ones is left out. */
function around({ x, y, width, height }: Area, ratio: number): THREE.Vector4 {
  const [left, bottom] = [Math.floor(x * ratio), Math.floor(y * ratio)];
  return new THREE.Vector4(left, bottom, Math.ceil((x + width) * ratio) - left, Math.ceil((y + height) * ratio) - bottom);
}

function target(samples: number): THREE.WebGLRenderTarget {
  const made = new THREE.WebGLRenderTarget(1, 1, { samples, colorSpace: THREE.SRGBColorSpace });
  // Colors as on the screen itself, tones and all: shaders then write what they would write there.
  made.texture.internalFormat = "RGBA8";
  Object.assign(made, { isXRRenderTarget: true });
  made.scissorTest = true;
  return made;
}
