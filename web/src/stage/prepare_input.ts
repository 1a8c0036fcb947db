import * as THREE from "three";

import { seamsAt } from "../api/rest";
import { useDesk } from "../state/desk";
import { workOn } from "../state/layers";
import { facesWith, type How, pick, pickedRuns, pickPoints, usePicks } from "../state/picks";
import { useSession } from "../state/session";
import type { IslandGrip, Matrix } from "./island_grip";
import type { Hit } from "./model_view";
import { grabIslands } from "./picked";
import type { Area, Views } from "./views";

/** A drag while preparing: what each move does, and what the release does. */
export interface PrepareDrag {
  move: (x: number, y: number) => void;
  release: () => void;
  /** Everything is as it was before the press; without it, it goes on. */
  cancel?: () => void;
}

/** Pixels from which a click finds a UV point. */
const GRASP = 9;

const howOf = (event: PointerEvent): How => (event.shiftKey ? "add" : event.ctrlKey || event.metaKey ? "remove" : "replace");

/** What presses do on model and map in the Prepare stage: pick faces, mark seams, move islands. */
export class PrepareInput {
  /** What is previewed, or asked for. */
  private hovered = "";
  private asked: AbortController | null = null;

  constructor(private readonly views: Views) {}

  /** A press on the model; x, y in the view. */
  pressModel(event: PointerEvent, hit: Hit, area: Area): PrepareDrag {
    const { preparing } = useDesk.getState();
    this.choose(hit.surface);
    if (preparing.tool === "points") return { move: () => undefined, release: () => undefined };
    if (preparing.tool !== "pick") {
      this.mark(this.sideAt(event.offsetX, event.offsetY, hit), howOf(event) !== "remove");
      return { move: () => undefined, release: () => undefined };
    }
    const how = howOf(event);
    pick(facesWith(hit.face, preparing.by), how, hit.face);
    // A drag goes on picking what it touches.
    return {
      move: (x, y) => {
        const next = this.views.model.hit(x - area.x, y - area.y, area.width, area.height);
        if (next) pick(facesWith(next.face, preparing.by), how === "replace" ? "add" : how);
      },
      release: () => undefined,
    };
  }

  /** A press in the map; null lets the view be moved. */
  pressMap(event: PointerEvent, area: Area): PrepareDrag | null {
    const { preparing } = useDesk.getState();
    const at = this.views.map.texelAt(event.offsetX - area.x, event.offsetY - area.y);
    if (preparing.tool === "points") return this.pointPick(event, area, at);
    const face = this.views.faceAt(at);
    if (preparing.tool !== "pick") {
      this.mark(this.sideAt(event.offsetX, event.offsetY, null), howOf(event) !== "remove");
      return { move: () => undefined, release: () => undefined };
    }
    if (face === null) return this.boxPick(event, area);
    const how = howOf(event);
    const { faces } = usePicks.getState();
    // What is picked stays so, to be dragged; its face that was clicked leads from now on.
    if (faces[face] && how === "replace") pick([], "add", face);
    else pick(facesWith(face, preparing.by), how, face);
    return how === "replace" ? this.carry(event, area) : { move: () => undefined, release: () => undefined };
  }

  /** The islands under the pointer go along with it. */
  private carry(event: PointerEvent, area: Area): PrepareDrag {
    const from = this.views.map.texelAt(event.offsetX - area.x, event.offsetY - area.y);
    let grip: IslandGrip | null = null;
    let matrix: Matrix = [1, 0, 0, 1, 0, 0];
    return {
      move: (x, y) => {
        const to = this.views.map.texelAt(x - area.x, y - area.y);
        grip ??= grabIslands(this.views);
        matrix = [1, 0, 0, 1, Math.round(to.x - from.x), Math.round(to.y - from.y)];
        grip?.preview(matrix);
        this.views.invalidate();
      },
      release: () => {
        if (grip) this.send(matrix, grip);
      },
      cancel: () => {
        grip?.letGo();
        this.views.invalidate();
      },
    };
  }

  /** Ask for a move; the islands stay where they were dropped until the answer comes. */
  send(matrix: Matrix, grip: IslandGrip): void {
    const { state } = useSession.getState();
    const surface = state?.surfaces[this.views.chosen];
    const faces = pickedRuns(this.views.chosen);
    const still = matrix.every((value, i) => Math.abs(value - [1, 0, 0, 1, 0, 0][i]!) < 1e-6);
    if (!surface || !faces || still) {
      grip.letGo();
      return;
    }
    const keep_paint = useDesk.getState().preparing.keepPaint;
    this.views.project.send({ type: "move_islands", surface: surface.name, faces, matrix, keep_paint });
  }

  private boxPick(event: PointerEvent, area: Area): PrepareDrag {
    const how = howOf(event);
    const from = this.views.map.texelAt(event.offsetX - area.x, event.offsetY - area.y);
    const start = usePicks.getState().faces;
    if (how === "replace") pick([], "replace");
    return {
      move: (x, y) => {
        const to = this.views.map.texelAt(x - area.x, y - area.y);
        usePicks.setState({ faces: how === "replace" ? new Uint8Array(start.length) : start });
        pick(this.facesIn(from, to), how === "replace" ? "add" : how);
      },
      release: () => undefined,
      cancel: () => usePicks.setState({ faces: start }),
    };
  }

  /** The point under the pointer, or all inside a box that is dragged. */
  private pointPick(event: PointerEvent, area: Area, from: THREE.Vector2): PrepareDrag {
    const how = howOf(event);
    const before = usePicks.getState().points;
    const near = GRASP / this.views.map.pixelsPerTexel;
    const nearest = this.pointsIn({ x: from.x - near, y: from.y - near }, { x: from.x + near, y: from.y + near })
      .sort((a, b) => a.at.distanceTo(from) - b.at.distanceTo(from))[0];
    pickPoints(nearest ? this.pointsIn(nearest.at, nearest.at).map(({ vertex }) => vertex) : [], how);
    return {
      move: (x, y) => {
        usePicks.setState({ points: before });
        pickPoints(this.pointsIn(from, this.views.map.texelAt(x - area.x, y - area.y)).map(({ vertex }) => vertex), how);
      },
      release: () => undefined,
      cancel: () => usePicks.setState({ points: before }),
    };
  }

  /** UV points in a box of the map, whichever of its corners are given. */
  private pointsIn(a: Place, b: Place): { vertex: number; at: THREE.Vector2 }[] {
    const { uv, index } = this.views.model.geometries[this.views.chosen]!;
    const { width, height } = this.views.overlays[this.views.chosen]!;
    const box = new THREE.Box2().setFromPoints([new THREE.Vector2(a.x, a.y), new THREE.Vector2(b.x, b.y)]).expandByScalar(1e-3);
    return [...new Set(index.array)]
      .map((vertex) => ({ vertex, at: new THREE.Vector2(uv.getX(vertex) * width, uv.getY(vertex) * height) }))
      .filter(({ at }) => box.containsPoint(at));
  }

  private choose(surface: number): void {
    const name = useSession.getState().state?.surfaces[surface]?.name;
    if (name && name !== useDesk.getState().surface) workOn(name);
  }

  /** Faces with a corner inside a box of the map, with all that goes with them. */
  private facesIn(from: THREE.Vector2, to: THREE.Vector2): number[] {
    const low = { x: Math.min(from.x, to.x), y: Math.min(from.y, to.y) };
    const high = { x: Math.max(from.x, to.x), y: Math.max(from.y, to.y) };
    const found: number[] = [];
    this.eachTriangle((face, points) => {
      if (points.some((p) => p.x >= low.x && p.x <= high.x && p.y >= low.y && p.y <= high.y)) found.push(face);
    });
    const { mesh } = usePicks.getState();
    const { by } = useDesk.getState().preparing;
    if (by === "face" || !mesh) return found;
    const label = { island: mesh.island, piece: mesh.piece, part: mesh.part, surface: null }[by];
    if (!label) return found.length ? facesWith(found[0]!, by) : [];
    const wanted = new Set(found.map((face) => label[face]));
    return [...label.keys()].filter((face) => wanted.has(label[face]) && usePicks.getState().surfaceOf[face] === this.views.chosen);
  }

  private eachTriangle(visit: (face: number, points: { x: number; y: number }[]) => void): void {
    const surface = this.views.model.geometries[this.views.chosen];
    const overlays = this.views.overlays[this.views.chosen];
    if (!surface || !overlays) return;
    const { index, uv, face } = surface;
    face.forEach((number, t) => {
      const points = [0, 1, 2].map((k) => {
        const v = index.getX(3 * t + k);
        return { x: uv.getX(v) * overlays.width, y: uv.getY(v) * overlays.height };
      });
      visit(number, points);
    });
  }

  /** The side of a face that a seam tool would mark at a pointer; null where there is none. */
  private sideAt(x: number, y: number, hit: Hit | null): Side | null {
    if (hit) {
      const area = this.views.area("model")!;
      const { geometry } = this.views.model.geometries[hit.surface]!;
      const places = geometry.getAttribute("position") as THREE.BufferAttribute;
      const point = hit.point.clone();
      const placeOf = (v: number) => this.views.model.placeOf(point.fromBufferAttribute(places, v), area.width, area.height);
      return nearest(this.outerSides(hit.surface, hit.face), placeOf, { x: x - area.x, y: y - area.y });
    }
    const area = this.views.area("map");
    const overlays = this.views.overlays[this.views.chosen];
    if (!area || !overlays || x < area.x) return null;
    const at = this.views.map.texelAt(x - area.x, y - area.y);
    const face = this.views.faceAt(at);
    if (face === null) return null;
    const { width, height } = overlays;
    const { uv } = this.views.model.geometries[this.views.chosen]!;
    const placeOf = (v: number) => ({ x: uv.getX(v) * width, y: uv.getY(v) * height });
    return nearest(this.outerSides(this.views.chosen, face), placeOf, at);
  }

  /** Show what a click of a seam tool at the pointer would mark; nothing for null, and for other tools. */
  hover(at: { x: number; y: number } | null, hit: Hit | null): void {
    const { preparing, stage } = useDesk.getState();
    const { tool } = preparing;
    const extent = stage === "prepare" && (tool === "edge" || tool === "loop") ? tool : null;
    const found = extent && at ? this.sideAt(at.x, at.y, hit) : null;
    const key = found ? `${extent} ${found.face} ${found.side}` : "";
    if (key === this.hovered) return;
    this.hovered = key;
    this.asked?.abort();
    if (!found || !extent) return this.preview([]);
    this.asked = new AbortController();
    seamsAt(this.views.project.id, found.face, found.side, extent, this.asked.signal)
      .then((sides) => this.hovered === key && this.preview(sides))
      .catch(() => undefined);
  }

  private preview(sides: number[]): void {
    for (const overlays of this.views.overlays) overlays.previewSeams(Uint32Array.from(sides));
    this.views.invalidate();
  }

  /** Sides of the polygon that a face belongs to; where it was only cut into triangles there is no edge to mark. */
  private outerSides(surface: number, face: number): Side[] {
    const { mesh } = usePicks.getState();
    const { index, face: shown } = this.views.model.geometries[surface]!;
    const sides: Side[] = [];
    shown.forEach((number, t) => {
      if (mesh?.polygon[number] !== mesh?.polygon[face]) return;
      for (let side = 0; side < 3; side++) {
        sides.push({ face: number, side, ends: [index.getX(3 * t + side), index.getX(3 * t + ((side + 1) % 3))] });
      }
    });
    return sides.filter(({ ends: [a, b] }) => !sides.some(({ ends }) => ends[0] === b && ends[1] === a));
  }

  private mark(side: Side | null, marked: boolean): void {
    const { tool } = useDesk.getState().preparing;
    if (!side || (tool !== "edge" && tool !== "loop")) return;
    this.views.project.send({ type: "mark_seams", face: side.face, side: side.side, extent: tool, marked });
  }
}

interface Place {
  x: number;
  y: number;
}

interface Side {
  face: number;
  side: number;
  ends: [number, number];
}

/** The side that lies nearest to a place. */
function nearest(sides: Side[], placeOf: (v: number) => Place, at: Place): Side | null {
  const away = sides.map(({ ends: [a, b] }) => distance(at, placeOf(a), placeOf(b)));
  return sides[away.indexOf(Math.min(...away))] ?? null;
}

/** From a place to the line between two others. */
function distance(at: Place, a: Place, b: Place): number {
  const length2 = Math.max((b.x - a.x) ** 2 + (b.y - a.y) ** 2, 1e-12);
  const t = Math.min(1, Math.max(0, ((at.x - a.x) * (b.x - a.x) + (at.y - a.y) * (b.y - a.y)) / length2));
  return Math.hypot(a.x + t * (b.x - a.x) - at.x, a.y + t * (b.y - a.y) - at.y);
}
