import { unwrap } from "../prepare/unwrap";
import { paintMask, type PrepareTool, setPreparing, setTip, shownView, showView, swapLoads, type Tool, useDesk } from "../state/desk";
import { chosenLayer, removeMarked, startNaming, stepped, together } from "../state/layers";
import { pick, pickedRuns, pickPoints } from "../state/picks";
import { closeCards, toggleStencils, toggleTipCard } from "../state/cards";
import { findDecal, useDecals } from "../state/decals";
import { sayWhatIsKept } from "../state/kept_mark";
import { boundRadius } from "../state/radius";
import { surfaceNamed, useSession } from "../state/session";
import { toggleStencil } from "../state/stencils";
import type { Command, Context } from "./command";

const tool = (value: Tool, key: string, label: string, hint: string): Command => ({
  group: "Tools", label, hint, keys: [key], when: "paint", act: () => useDesk.setState({ tool: value }),
}); // prettier-ignore

const prepareTool = (value: PrepareTool, key: string, label: string, hint: string): Command => ({
  group: "Picks and seams", label, hint, keys: [key], when: "prepare", act: () => setPreparing({ tool: value }),
}); // prettier-ignore

const tip = (key: string, label: string, change: () => void): Command => ({
  group: "Tip and pigment", label, keys: [key], when: "paint", again: true, act: change,
}); // prettier-ignore

const gesture = (group: string, key: string, label: string, when?: Command["when"]): Command => ({
  group, label, keys: [key], ...(when && { when }),
}); // prettier-ignore

/** Everything that has a key, and what is done with the pointer while one is held. */
export const COMMANDS = {
  brush: tool("brush", "P", "Brush", "Lay pigment on"),
  erase: tool("erase", "E", "Erase", "Take paint away, as a pen’s other end does with any tool"),
  smear: tool("smear", "S", "Smear", "Pull paint along, over seams too"),
  soften: tool("soften", "O", "Soften", "Blur what is there"),
  sharpen: tool("sharpen", "A", "Sharpen", "Set edges off again"),
  clone: tool("clone", "C", "Clone", "Paint with what lies elsewhere; hold C and click to choose from where"),
  fill: tool("fill", "F", "Fill", "Cover a face, an island, a part … with a click"),
  gradient: tool("gradient", "G", "Gradient", "Drag on the model from the first load to the second"),
  sample: tool("sample", "I", "Sample", "Take the stored values under the pointer"),
  pickTool: tool("pick", "V", "Pick", "Pick faces for a region, or draw a shape in the map"),
  straight: gesture("Tools", "Shift + drag", "Draw straight; Shift and a click goes on from the last stroke", "paint"),
  sampleClick: gesture("Tools", "Ctrl + click", "Take the stored values, whatever the tool", "paint"),
  source: gesture("Tools", "C + click", "Choose from where Clone takes paint", "paint"),

  tipCard: {
    group: "Tip and pigment", label: "Tip settings", hint: "Blending, falloff, pictures, path, jitter: a card that stays open", keys: ["T"], when: "paint",
    act: toggleTipCard,
  },
  closeCards: {
    group: "Tip and pigment", label: "Close the card; put away the picture that was to be laid", keys: ["Escape"], when: "paint",
    act: () => {
      useDecals.setState({ inHand: null });
      closeCards();
    },
  },
  preset: gesture("Tip and pigment", "Alt + 1 … 9", "Take a preset", "paint"),
  smaller: tip(",", "Smaller radius", () => setTip({ radius: boundRadius(useDesk.getState().tip.radius / 1.1) })),
  larger: tip(".", "Larger radius", () => setTip({ radius: boundRadius(useDesk.getState().tip.radius * 1.1) })),
  softer: tip("<", "Softer", () => setTip({ hardness: Math.max(0, useDesk.getState().tip.hardness - 0.05) })),
  harder: tip(">", "Harder", () => setTip({ hardness: Math.min(1, useDesk.getState().tip.hardness + 0.05) })),
  tipDrag: gesture("Tip and pigment", "R + drag", "Across for the radius, up for the hardness", "paint"),
  swap: { group: "Tip and pigment", label: "Swap with the second load", keys: ["X"], when: "paint", act: swapLoads },

  undo: { group: "History", label: "Undo", keys: ["Ctrl+Z"], again: true, act: ({ project }) => project.step("undo") },
  redo: { group: "History", label: "Redo", keys: ["Ctrl+Y", "Ctrl+Shift+Z"], again: true, act: ({ project }) => project.step("redo") },
  kept: { group: "History", label: "Say what is kept; nothing has to be saved", keys: ["Ctrl+S"], act: sayWhatIsKept },
  putBack: gesture("History", "Drag, then Esc", "Put back what is held: a decal, a frame, a stencil, islands, a line"),

  addLayer: {
    group: "Layers", label: "Add a brushed layer", hint: "Add a brushed layer above the chosen one", keys: ["Shift+L"], when: "paint",
    act: addLayer,
  },
  addGroup: {
    group: "Layers", label: "Put into a new group", hint: "Put the marked layers into a new group", keys: ["Shift+G"], when: "paint", act: groupLayers,
  },
  addMask: {
    group: "Layers", label: "Paint on the mask or on the layer", hint: "Switch between the layer and its mask; the first time a mask is added", keys: ["Q"],
    when: "paint", act: switchMask,
  },
  fence: {
    group: "Layers", label: "Lift the fence, or put it back", keys: ["K"], when: "paint",
    act: () => useDesk.setState(({ fenceOn }) => ({ fenceOn: !fenceOn })),
  },
  stencil: {
    group: "Tools", label: "Take the stencil, or put it away", hint: "Stencil: a picture fixed to the screen, to be painted through", keys: ["Z"], when: "paint",
    act: () => {
      if (useDesk.getState().stencil.picture) toggleStencil();
      else toggleStencils();
    },
  },
  lockLayer: {
    group: "Layers", label: "Lock or unlock the layer", keys: ["Shift+K"], when: "paint",
    act: ({ project }) => {
      const layer = chosenLayer()?.layer;
      if (layer) project.send({ type: "change_node", node: layer.id, locked: !layer.locked });
    },
  },
  deleteLayer: {
    group: "Layers", label: "Delete the marked layers", keys: ["Shift+Delete"], when: "paint",
    act: ({ project }) => {
      const layer = chosenLayer()?.layer;
      if (layer) removeMarked(project, layer.id);
    },
  },
  duplicateLayer: {
    group: "Layers", label: "Duplicate the marked layers", keys: ["Shift+D"], when: "paint",
    act: ({ project }) => {
      const layer = chosenLayer()?.layer;
      if (layer) project.send({ type: "duplicate_nodes", nodes: together(layer.id), onto: null });
    },
  },
  deleteDecal: {
    group: "Layers", label: "Delete the chosen decal", keys: ["Delete"], when: "paint",
    act: ({ project }) => {
      const { chosen } = useDecals.getState();
      if (findDecal(useSession.getState().state, chosen)) project.send({ type: "remove_decals", decals: [chosen!] });
    },
  },
  renameLayer: { group: "Layers", label: "Rename the layer", keys: ["F2"], when: "paint", act: () => startNaming(chosenLayer()?.layer.id ?? null) },
  layerUp: { group: "Layers", label: "Move the marked layers up", hint: "Move the marked layers up, into open groups and out of them", keys: ["Alt+ArrowUp"], when: "paint", again: true, act: (context) => moveLayers(context, true) },
  layerDown: { group: "Layers", label: "Move the marked layers down", hint: "Move the marked layers down, into open groups and out of them", keys: ["Alt+ArrowDown"], when: "paint", again: true, act: (context) => moveLayers(context, false) },

  pick: prepareTool("pick", "V", "Pick", "Click or drag picks faces; Shift adds, Ctrl takes away"),
  seamEdge: prepareTool("edge", "S", "Seam edge", "Click marks an edge as seam; Ctrl clears it"),
  seamLoop: prepareTool("loop", "L", "Seam loop", "Click marks a whole loop of edges; Ctrl clears it"),
  points: prepareTool("points", "O", "Points", "Click or drag in the map picks UV points; Shift adds, Ctrl takes away"),
  pickNothing: {
    group: "Picks and seams", label: "Pick nothing", keys: ["Escape"], when: "prepare",
    act: () => {
      pick([], "replace");
      pickPoints([], "replace");
    },
  },
  framePicked: {
    group: "Picks and seams", label: "Frame the picked faces", hint: "Bring the picked faces before the eye, on model and map", keys: ["J"],
    act: ({ stage }) => stage.framePicked(),
  },
  seamBorder: {
    group: "Picks and seams", label: "Seam at the border", hint: "Mark the border of the picked faces as seam", keys: ["B"], when: "prepare",
    act: seamBorder,
  },
  unwrap: {
    group: "Islands", label: "Unwrap", hint: "New UVs for the picked faces, or for the whole surface when none is picked", keys: ["W"],
    when: "prepare", act: ({ project, stage }) => unwrap(project, stage),
  },
  pack: {
    group: "Islands", label: "Pack", hint: "Pack: as large as the map allows, with the margin between", keys: ["K"], when: "prepare", act: pack,
  },
  nudgeLeft: { group: "Islands", label: "Picked islands a texel to the left", keys: ["ArrowLeft"], when: "prepare", again: true, act: (c) => nudge(c, -1, 0) },
  nudgeRight: { group: "Islands", label: "A texel to the right", keys: ["ArrowRight"], when: "prepare", again: true, act: (c) => nudge(c, 1, 0) },
  nudgeUp: { group: "Islands", label: "A texel up", keys: ["ArrowUp"], when: "prepare", again: true, act: (c) => nudge(c, 0, -1) },
  nudgeDown: { group: "Islands", label: "A texel down", keys: ["ArrowDown"], when: "prepare", again: true, act: (c) => nudge(c, 0, 1) },

  prepare: { group: "View", label: "Prepare", hint: "Model, UVs and maps", keys: ["1"], act: () => useDesk.setState({ stage: "prepare" }) },
  paint: { group: "View", label: "Paint", hint: "Brush, layers, pigments", keys: ["2"], act: () => useDesk.setState({ stage: "paint" }) },
  view: { group: "View", label: "Model, side by side, map", keys: ["M"], act: nextView },
  showAll: { group: "View", label: "Show all", keys: ["H"], act: ({ stage }) => stage.frameAll() },
  faceOn: { group: "View", label: "Look straight at the face under the pointer", keys: ["N"], act: ({ stage }) => stage.faceOn() },
  hidePart: {
    group: "View", label: "Hide the part under the pointer; beside the model, show all parts", keys: ["Shift+H"],
    act: ({ stage }) => stage.hidePart(),
  },
  turn: gesture("View", "Drag beside the model", "Turn it; with Shift move it, with Ctrl and the right button roll it"),
  altTurn: gesture("View", "Alt + drag", "Turn it, also over the model"),
  turnDecal: gesture("View", "Alt + wheel", "Turn the chosen decal by 5 degrees", "paint"),
  zoom: gesture("View", "Wheel", "Come nearer to what is under the pointer, or go away"),

  keys: { group: "View", label: "All keys", keys: ["?"], act: showKeys },
} as const satisfies Record<string, Command>;

export type CommandId = keyof typeof COMMANDS;

/** What a tooltip says of a command: what it does, and its keys. */
export function tooltip(id: CommandId, text?: string): string {
  const { label, hint, keys }: Command = COMMANDS[id];
  return `${text ?? hint ?? label} (${keys.join(" or ")})`.replace(/Arrow(\w+)/g, "$1");
}

/** The stage has the focus before, so that it gets it back when the list closes. */
function showKeys({ stage }: Context): void {
  stage.focus();
  useSession.setState({ keysShown: true });
}

function nextView(): void {
  const now = shownView(useDesk.getState());
  showView(now === "model" ? "side" : now === "side" ? "map" : "model");
}

function addLayer({ project }: Context): void {
  const surface = surfaceNamed(useSession.getState().state, useDesk.getState().surface);
  if (surface) project.send({ type: "add_node", surface: surface.name, kind: "brushed", above: chosenLayer()?.layer.id ?? null });
}

function moveLayers({ project }: Context, up: boolean): void {
  const step = stepped(up);
  if (step) project.send({ type: "move_nodes", ...step });
}

function groupLayers({ project }: Context): void {
  const chosen = chosenLayer();
  if (chosen) project.send({ type: "group_nodes", nodes: together(chosen.layer.id) });
}

function switchMask({ project }: Context): void {
  const layer = chosenLayer()?.layer;
  if (!layer) return;
  const { maskTarget } = useDesk.getState();
  if (layer.mask) return useDesk.setState({ maskTarget: maskTarget === layer.id ? null : layer.id });
  project.send({ type: "add_mask", node: layer.id, start: 0 });
  paintMask(layer.id, 0);
}

function seamBorder({ project }: Context): void {
  const faces = pickedRuns();
  if (faces) project.send({ type: "mark_border", faces, marked: true });
}

/** The picked islands of the surface in the map, or all of them. */
function islands(stage: Context["stage"]) {
  const surface = useSession.getState().state?.surfaces[stage.chosen];
  const { margin, keepPaint: keep_paint } = useDesk.getState().preparing;
  return surface && { surface: surface.name, faces: pickedRuns(stage.chosen), margin, keep_paint };
}

function pack({ project, stage }: Context): void {
  const chosen = islands(stage);
  if (chosen) project.send({ type: "pack", ...chosen });
}

function nudge({ project, stage }: Context, x: number, y: number): void {
  const chosen = islands(stage);
  if (!chosen?.faces) return;
  const { surface, faces, keep_paint } = chosen;
  project.send({ type: "move_islands", surface, faces, matrix: [1, 0, 0, 1, x, y], keep_paint });
}
