import type { Batch } from "../api/wire";

/** When a frame was begun, when its pixels began to go up, and when they had. */
interface Times {
  now: number;
  started: number;
  uploaded: number;
}

/** For the bench: from the pointer event to the frame that shows it, with its parts, as user timings. */
export function measureLag(gl: WebGLRenderingContext | WebGL2RenderingContext, batches: Batch[], { now, started, uploaded }: Times): void {
  // Reading a pixel waits until all of it is drawn.
  gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array(4));
  const drawn = performance.now();
  for (const { stamp, engine, composite, encode } of batches) {
    if (!stamp) continue;
    const detail = { engine, composite, encode, upload: uploaded - started, draw: drawn - uploaded, frame: now };
    performance.measure("stroke lag", { start: stamp, end: drawn, detail });
  }
}
