import * as THREE from "three";

import type { Area } from "./views";

/** Milliseconds without a frame after which a smooth one follows. */
const CALM = 250;
/** Triangles beyond which one smooth frame would keep the next stroke waiting. */
const MOST = 300_000;
const SAMPLES = 4;

/** Smooth edges where the processor draws: they cost several frames there, so they come once nothing moves. */
export class AtRest {
  private readonly target: THREE.WebGLRenderTarget;
  private timer = 0;
  /** Whether the next frame has them. */
  due = false;

  constructor(
    private readonly renderer: THREE.WebGLRenderer,
    private readonly invalidate: () => void,
  ) {
    this.target = new THREE.WebGLRenderTarget(1, 1, { samples: SAMPLES, colorSpace: THREE.SRGBColorSpace });
    // Colors as on the screen itself, tones and all: shaders then write what they would write there.
    this.target.texture.internalFormat = "RGBA8";
    Object.assign(this.target, { isXRRenderTarget: true });
    this.target.scissorTest = true;
  }

  /** A frame was drawn: after one with plain edges a smooth one follows, when no other does. */
  drawn(triangles: number): void {
    clearTimeout(this.timer);
    if (!this.due && triangles <= MOST) this.timer = window.setTimeout(() => this.next(), CALM);
    this.due = false;
  }

  private next(): void {
    this.due = true;
    this.invalidate();
  }

  /** Draw a view, and copy what lies inside `clip` onto the canvas; both in CSS pixels from its bottom left. */
  render(scene: THREE.Scene, camera: THREE.Camera, view: Area, clip: Area): void {
    const { renderer, target } = this;
    const size = renderer.getDrawingBufferSize(new THREE.Vector2());
    const ratio = renderer.getPixelRatio();
    target.setSize(size.x, size.y);
    target.viewport.set(view.x, view.y, view.width, view.height).multiplyScalar(ratio).floor();
    target.scissor.set(clip.x, clip.y, clip.width, clip.height).multiplyScalar(ratio).floor();
    renderer.setRenderTarget(target);
    renderer.clear();
    renderer.render(scene, camera);
    renderer.setRenderTarget(null);
    this.show();
  }

  /** Copy what was drawn last onto the canvas. */
  private show(): void {
    const { renderer, target } = this;
    const context = renderer.getContext() as WebGL2RenderingContext;
    const { x, y, z, w } = target.scissor;
    const [right, top] = [x + z, y + w];
    const drawn = (renderer.properties.get(target) as { __webglFramebuffer: WebGLFramebuffer }).__webglFramebuffer;
    renderer.state.bindFramebuffer(context.READ_FRAMEBUFFER, drawn);
    context.blitFramebuffer(x, y, right, top, x, y, right, top, context.COLOR_BUFFER_BIT, context.NEAREST);
    renderer.state.bindFramebuffer(context.READ_FRAMEBUFFER, null);
  }

  dispose(): void {
    clearTimeout(this.timer);
    this.target.dispose();
  }
}
