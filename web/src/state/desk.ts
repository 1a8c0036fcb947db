import type { BeginStroke, Fence, Mirror, Pigment, Tip, Unwrap } from "../api/schema.generated";
import { type DocumentState, isNode, type LayerState, missingFromView, type SurfaceState } from "./document";
import { ofProject } from "./of_project";
import { NO_STENCIL, type StencilPlace } from "./stencil_place";

/** What a click on a face picks. */
export type PickBy = "face" | "island" | "piece" | "part" | "surface";
/** Tools that paint along a stroke, and those that act at a click or a drag. */
export type StrokeTool = BeginStroke["tool"];
export type Tool = StrokeTool | "fill" | "gradient" | "sample" | "pick";
export type ViewMode = "model" | "side" | "map";
export type MapName = "base_color" | "roughness" | "metallic" | "height" | "opacity" | "normal";
/** What is shown alone, as it is stored: a map, or a channel of the color. */
export type Alone = MapName | "red" | "green" | "blue";
export type Shading = "lit" | "matte" | "plain" | "clay" | "wire" | Alone;
export type SurroundingsName = "quay" | "workshop" | "noon" | "dusk";

/** How the model is shown; the paint is the same. */
export interface Look {
  shading: Shading;
  surroundings: SurroundingsName;
  /** Degrees by which the surroundings are turned. */
  turn: number;
  /** A light of its own: where it comes from, seen from the camera, and how strong it is. */
  light: { x: number; y: number; strength: number };
  edges: boolean;
  faceted: boolean;
}

/** Where the camera stands: about which place it turns, its angles in radians, how far away it is; and the middle of the
 * model that is seen so, and how far that reaches from there, which desks kept earlier do not tell. */
export interface CameraPose {
  target: [number, number, number];
  turn: number;
  rise: number;
  roll: number;
  distance: number;
  center?: [number, number, number];
  reach?: number;
}

/** Where the map lies in its view: what of it is in the middle, in shares of its sides, and how many pixels wide it is. */
export interface MapPlace {
  middle: [number, number];
  wide: number;
}

/** Where clone takes paint from: on the model or, with a surface, in its map, in texels. */
export interface CloneOrigin {
  surface: string | null;
  point: [number, number, number];
  normal: [number, number, number];
}

export interface NamedPigment {
  name: string;
  pigment: Pigment;
}
export type StageName = "prepare" | "paint";
export type UvDisplay = "paint" | "checker" | "letters" | "stretch" | "density" | "findings";
/** What a click on the model or in the map does while preparing. */
export type PrepareTool = "pick" | "edge" | "loop" | "points";
export type Method = Unwrap["method"];

/** What is set for the work on UVs. */
export interface Preparing {
  tool: PrepareTool;
  by: PickBy;
  method: Method;
  angle: number;
  margin: number;
  /** A shape's up: a model axis, or as it is seen now. */
  axis: "x" | "y" | "z" | "view";
  keepPaint: boolean;
}

/** What lies on the painter's desk: kept with the project, never part of undo. */
export interface Desk {
  stage: StageName;
  preparing: Preparing;
  uvDisplay: UvDisplay;
  prepareView: ViewMode;
  tool: Tool;
  tip: Tip;
  pigment: Pigment;
  /** What a map that is off will carry when it is switched on again. */
  resting: { base_color: string; roughness: number; metallic: number; height: number; opacity: number };
  /** The second load: swapped with the first by a key. */
  otherPigment: Pigment;
  /** Pigments with a name, and colors used lately. */
  pigments: NamedPigment[];
  recent: string[];
  mirror: Required<Mirror>;
  fillBy: PickBy | "picked" | "region" | "color";
  /** Fill takes away what lies there. */
  fillAway: boolean;
  tolerance: number;
  /** How far beyond the tolerance a fill by color covers less and less. */
  softness: number;
  /** Sample one layer instead of what shows. */
  sampleLayer: boolean;
  cloneAligned: boolean;
  cloneSource: CloneOrigin | null;
  /** Erasing takes every map, not only those that the pigment paints. */
  eraseAll: boolean;
  look: Look;
  palette: string[];
  surface: string | null;
  /** The layer that receives strokes, by surface. */
  layers: Record<string, string>;
  /** The layer whose mask receives strokes, instead of its paint. */
  maskTarget: string | null;
  /** What a brush lays on a mask, and the second value to swap with. */
  maskValue: number;
  otherMaskValue: number;
  /** The region that paint is kept inside, by id, and whether that counts; and what is touched first, in its stead. */
  fence: string | null;
  fenceOn: boolean;
  touchFence: NonNullable<Fence["touch"]> | null;
  stencil: StencilPlace;
  /** Stencils used before, by picture, as they lay. */
  putAway: Record<string, StencilPlace>;
  /** Numbers for a picture's width and height keep its proportions. */
  inProportion: boolean;
  /** What picking for regions takes together; a box or a shape is drawn. */
  pickBy: PickBy | "patch" | "facing" | "color" | "box" | "shape";
  /** Degrees up to which normals count as the same for patches and for what faces the same way. */
  pickAngle: number;
  view: ViewMode;
  /** As it was left; null before the model has been turned. */
  camera: CameraPose | null;
  /** The same of the map; null while it is fitted to its view. */
  mapPlace: MapPlace | null;
  uvLines: boolean;
  /** The change that was handed off last. */
  handedOff: number | null;
  /** How the files of maps are called. */
  mapNames: string;
  /** The card with reference pictures: where it lies from the stage's corner, which picture it shows. */
  references: { shown: boolean; chosen: string | null; right: number; bottom: number; width: number; height: number };
}

const PALETTE = [
  "#b8402c", "#d9673a", "#e2ae45", "#e5e1d5", "#93a37c", "#55634a", "#2b4a4b",
  "#3d6f8e", "#8fb4c0", "#1e2422", "#575f5d", "#c3c6c5", "#7d3d1f", "#4a2416",
];

export const FRESH: Desk = {
  stage: "paint",
  preparing: { tool: "pick", by: "island", method: "auto", angle: 60, margin: 8, axis: "y", keepPaint: true },
  uvDisplay: "paint",
  prepareView: "side",
  tool: "brush",
  tip: {
    radius: 38,
    unit: "px",
    strength: 0.85,
    hardness: 0.4,
    spacing: 0.12,
    tint: false,
    pressure_radius: false,
    pressure_strength: true,
    pressure_hardness: false,
    pressure_radius_curve: { least: 0.1, gamma: 1 },
    pressure_strength_curve: { least: 0.1, gamma: 1 },
    pressure_hardness_curve: { least: 0.1, gamma: 1 },
    falloff: "smooth",
    curve: null,
    blend: "normal",
    jitter_place: 0,
    jitter_radius: 0,
    jitter_angle: 0,
    jitter_color: 0,
    angle: 0,
    angle_mode: "fixed",
    stabilizer: 0,
    taper: 0,
    picture: null,
    build_up: false,
    facing_limit: 120,
    covered_too: false,
  },
  pigment: { base_color: "#7d3d1f", roughness: null, metallic: null, height: null, opacity: null },
  resting: { base_color: "#7d3d1f", roughness: 0.5, metallic: 0, height: 0.6, opacity: 0 },
  otherPigment: { base_color: "#e5e1d5", roughness: null, metallic: null, height: null, opacity: null },
  pigments: [
    { name: "Wet rust", pigment: { base_color: "#7d3d1f", roughness: 0.34, metallic: 0, height: 0.53, opacity: null } },
    { name: "Bare steel", pigment: { base_color: "#8b8f8e", roughness: 0.4, metallic: 1, height: 0.47, opacity: null } },
    { name: "Weed", pigment: { base_color: "#4c5a33", roughness: 0.8, metallic: 0, height: 0.56, opacity: null } },
  ],
  recent: [],
  mirror: { planes: "", axis: "y", turns: 1, center: [0, 0, 0] },
  fillBy: "island",
  fillAway: false,
  tolerance: 0.03,
  softness: 0.1,
  sampleLayer: false,
  inProportion: true,
  cloneAligned: true,
  cloneSource: null,
  eraseAll: true,
  look: {
    shading: "lit",
    surroundings: "quay",
    turn: 0,
    light: { x: -0.5, y: 0.7, strength: 1.1 },
    edges: false,
    faceted: false,
  },
  palette: PALETTE,
  surface: null,
  layers: {},
  maskTarget: null,
  maskValue: 1,
  otherMaskValue: 0,
  fence: null,
  fenceOn: true,
  touchFence: null,
  stencil: NO_STENCIL,
  putAway: {},
  pickBy: "island",
  pickAngle: 30,
  view: "model",
  camera: null,
  mapPlace: null,
  uvLines: true,
  handedOff: null,
  mapNames: "{project}_{surface}_{map}_{size}",
  references: { shown: false, chosen: null, right: 12, bottom: 12, width: 280, height: 240 },
};

export const useDesk = ofProject(FRESH);

export const setTip = (part: Partial<Tip>) => useDesk.setState(({ tip }) => ({ tip: { ...tip, ...part } }));

export type Pressed = "radius" | "strength" | "hardness";

/** What the lightest touch leaves of a value, as a share; all of it means that pressure does nothing. */
export const setPressed = (what: Pressed, least: number) =>
  useDesk.setState(({ tip }) => {
    const presses = least < 0.995;
    const { gamma = 1, least: before = 1 } = tip[`pressure_${what}_curve`] ?? {};
    const curve = { gamma, least: presses ? least : before };
    return { tip: { ...tip, [`pressure_${what}`]: presses, [`pressure_${what}_curve`]: curve } };
  });

export const setLook = (part: Partial<Look>) => useDesk.setState(({ look }) => ({ look: { ...look, ...part } }));

export const setReferences = (part: Partial<Desk["references"]>) =>
  useDesk.setState(({ references }) => ({ references: { ...references, ...part } }));

/** Strokes go to a new mask, and change what it shows: what is hidden appears, what is seen goes. */
export const paintMask = (node: string, start: number): void => useDesk.setState({ maskTarget: node, maskValue: 1 - start, otherMaskValue: start });

/** The second load comes to hand, the first is put away; of a mask the second value. */
export const swapLoads = () =>
  useDesk.setState(({ maskTarget, maskValue, otherMaskValue, pigment, otherPigment }) =>
    maskTarget ? { maskValue: otherMaskValue, otherMaskValue: maskValue } : { pigment: otherPigment, otherPigment: pigment },
  );

/** Values that were sampled are loaded, for the maps that the pigment paints; the color, when it paints none. */
export const takeSample = (found: Pigment): boolean => {
  const { pigment } = useDesk.getState();
  const keys = (["base_color", "roughness", "metallic", "height", "opacity"] as const).filter((key) => found[key] != null);
  const painted = keys.filter((key) => pigment[key] != null);
  const taken = painted.length ? painted : keys.slice(0, 1);
  useDesk.setState({ pigment: { ...pigment, ...Object.fromEntries(taken.map((key) => [key, found[key]])) } });
  return taken.length > 0;
};

/** Switch a map of the pigment on or off; its value is remembered. */
export const switchMap = (key: keyof Pigment) =>
  useDesk.setState(({ pigment, resting }) => {
    const value = pigment[key];
    if (value == null) return { pigment: { ...pigment, [key]: resting[key as keyof Desk["resting"]] } };
    return { pigment: { ...pigment, [key]: null }, resting: { ...resting, [key]: value } };
  });

/** A color that has been painted with is remembered, the newest first. */
export const rememberColor = (color: string | null | undefined) => {
  if (color) useDesk.setState(({ recent }) => ({ recent: [color, ...recent.filter((other) => other !== color)].slice(0, 8) }));
};

export const setPreparing = (part: Partial<Preparing>) =>
  useDesk.setState(({ preparing }) => ({ preparing: { ...preparing, ...part } }));

/** Each stage remembers its own view. */
export const shownView = ({ stage, view, prepareView }: Desk): ViewMode => (stage === "prepare" ? prepareView : view);

export const showView = (next: ViewMode) =>
  useDesk.setState(({ stage }) => (stage === "prepare" ? { prepareView: next } : { view: next }));

export const setPigment = (part: Partial<Pigment>) =>
  useDesk.setState(({ pigment }) => ({ pigment: { ...pigment, ...part } }));

/** A tip that was kept: what it lacks is fresh, and words of the first versions are those of today. */
export function keptTip(left: Partial<Tip>): Tip {
  const { steady, ...tip } = left as Partial<Tip> & { steady?: number };
  const mode = (tip.angle_mode as string) === "lean" ? "tilt" : tip.angle_mode;
  return { ...FRESH.tip, ...tip, angle_mode: mode ?? FRESH.tip.angle_mode, stabilizer: tip.stabilizer ?? steady ?? 0 };
}

/** Take over a desk as it was left; what an older one lacks starts fresh. */
export function restoreDesk(left: Record<string, unknown>, state: DocumentState): void {
  const desk = { ...FRESH, ...(left as Partial<Desk>) };
  useDesk.setState(
    {
      ...desk,
      tip: keptTip(desk.tip),
      pigment: { ...FRESH.pigment, ...desk.pigment },
      resting: { ...FRESH.resting, ...desk.resting },
      preparing: { ...FRESH.preparing, ...desk.preparing },
      look: { ...FRESH.look, ...desk.look },
      stencil: { ...NO_STENCIL, ...desk.stencil },
      mirror: { ...FRESH.mirror, ...desk.mirror },
    },
    true,
  );
  settleTargets(state);
}

/** Palette and pigments are the project's, whoever changed them. */
export const keptColors = (): string => JSON.stringify([useDesk.getState().palette, useDesk.getState().pigments]);

/** Take them over as another tab keeps them. */
export function takeKeptColors({ palette, pigments }: Partial<Desk>): void {
  useDesk.setState({ ...(palette && { palette }), ...(pigments && { pigments }) });
}

/** What the desk remembers by a surface's name goes along when it is called otherwise. */
export function followNames(before: DocumentState | null, after: DocumentState): void {
  for (const { id, name } of after.surfaces) {
    const old = before?.surfaces.find((surface) => surface.id === id)?.name;
    if (old === undefined || old === name) continue;
    useDesk.setState(({ surface, layers: { [old]: layer, ...layers } }) => ({
      surface: surface === old ? name : surface,
      layers: layer ? { ...layers, [name]: layer } : layers,
    }));
  }
}

/** By the layer that receives strokes in its place: one that did until it was gone. */
const useGone = ofProject<{ before: ReadonlyMap<string, string> }>({ before: new Map() });

/** Each surface has a receiving layer as long as it has any: the one chosen, else the topmost until undo brings that one back. */
export function settleTargets(state: DocumentState): void {
  const { layers, surface, maskTarget, fence } = useDesk.getState();
  const settled: Record<string, string> = {};
  const before = new Map(useGone.getState().before);
  for (const { name, layers: stack } of state.surfaces) {
    const last = layers[name] ?? "";
    const [again, same] = [before.get(last), last].map((id) => stack.find((layer) => layer.id === id));
    const chosen = again ?? same ?? stack.findLast(({ kind }) => kind === "brushed") ?? stack.at(-1);
    if (!chosen) continue;
    settled[name] = chosen.id;
    if (again) before.delete(last);
    else if (!same && last) before.set(chosen.id, last);
  }
  useGone.setState({ before });
  const known = state.surfaces.some((candidate) => candidate.name === surface);
  const masked = maskTarget && state.values.get(maskTarget);
  useDesk.setState({
    layers: settled,
    surface: known ? surface : (state.surfaces[0]?.name ?? null),
    maskTarget: masked && isNode(masked) && masked.mask ? maskTarget : null,
    fence: fence && state.values.has(fence) ? fence : null,
  });
}

/** The layers a stroke will be laid on: every surface's receiving layer; of masks those of the same name. */
export function receivingLayers(state: DocumentState): Record<string, string> {
  const { layers, maskTarget } = useDesk.getState();
  const found: Record<string, string> = {};
  for (const surface of state.surfaces) {
    // Paint under the pattern that stands for missing pictures would not be seen.
    if (missingFromView(surface)) continue;
    const layer = maskTarget ? maskedLike(state, surface) : surface.layers.find(({ id }) => id === layers[surface.name]);
    if (layer) found[surface.name] = layer.id;
  }
  return found;
}

/** The layer of a surface whose mask is painted: the one that was chosen, or one of the same name that has a mask as well. */
export function maskedLike(state: DocumentState, { name, layers: stack }: SurfaceState): LayerState | undefined {
  const { layers, maskTarget } = useDesk.getState();
  const masked = state.values.get(maskTarget ?? "");
  if (!masked || !isNode(masked)) return undefined;
  const alike = stack.filter((node) => node.mask && node.name === masked.name);
  return stack.find(({ id }) => id === maskTarget) ?? alike.find(({ id }) => id === layers[name]) ?? alike[0];
}

/** What a brush lays on masks; null while it paints on layers. */
export const maskLoad = ({ maskTarget, maskValue }: Desk): number | null => (maskTarget ? maskValue : null);

/** The region that confines paint right now. */
export const fenceNow = ({ fence, fenceOn }: Desk): string | null => (fenceOn ? fence : null);
