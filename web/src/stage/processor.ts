/** Renderers that draw with the processor: there, filtering at flat angles and smooth edges take them long. */
const BY_PROCESSOR = /llvmpipe|softpipe|swiftshader|software|basic render/i;

let found: boolean | null = null;

/** Whether there is no graphics card, so that the processor draws. */
export function drawnByProcessor(): boolean {
  found ??= asked();
  return found;
}

function asked(): boolean {
  const context = document.createElement("canvas").getContext("webgl2");
  if (!context) return false;
  const named = context.getExtension("WEBGL_debug_renderer_info");
  const name = String(context.getParameter(named ? named.UNMASKED_RENDERER_WEBGL : context.RENDERER));
  context.getExtension("WEBGL_lose_context")?.loseContext();
  return BY_PROCESSOR.test(name);
}
