import type * as THREE from "three";

import type { StageMesh } from "../api/mesh";
import type { UvDisplay } from "../state/desk";
import { FaceColors, type FaceColor } from "./face_colors";
import { densityColor, hatchedPicture, heatOf, uvPicture, stretchColor } from "./uv_display";
import { EdgeLines, rimEnds, seamEnds } from "./edge_lines";
import type { SurfaceGeometry } from "./surface_geometry";
import type { Shown } from "./sheet";
import { FenceVeil } from "./fence_veil";
import { UvLines } from "./uv_lines";
import { UvPoints } from "./uv_points";
import { missingFromView, type SurfaceState } from "../state/document";

const PICKED: FaceColor = [12, 140, 122, 120];
/** Serious findings in the color of danger, others in that of care. */
const SERIOUS: FaceColor = [200, 65, 43, 170];
const CARE: FaceColor = [228, 170, 60, 150];

/** Lines of marked seams, and around picked faces. */
const SEAM = 0xf0b429;
const RIM = 0x0c8c7a;
/** What a click would mark. */
const PREVIEW = 0xfff2cc;
/** What shows the UVs by colors of its own: by a picture, or by one for each face. */
const HEATS: UvDisplay[] = ["stretch", "density"];
const PROOFS: UvDisplay[] = ["checker", "letters", ...HEATS];

export type Marks = "all" | "picks" | "none";

export interface Findings {
  serious: ReadonlySet<number>;
  care: ReadonlySet<number>;
}

/** What is drawn over one surface, on the model and in its map: lines, seams, colors of faces, uvPictures. */
export class Overlays {
  private readonly lines: UvLines;
  readonly points: UvPoints;
  readonly fence: FenceVeil;
  private readonly seams: EdgeLines;
  private readonly rim: EdgeLines;
  private readonly preview: EdgeLines;
  private readonly colors: FaceColors;
  /** What the colors of faces were last made of. */
  private shown: unknown[] = [];
  private pictures = new Map<string, THREE.Texture>();

  constructor(
    private readonly surface: SurfaceGeometry,
    mesh: StageMesh,
    readonly width: number,
    readonly height: number,
    private readonly anisotropy: number,
    changed: () => void,
  ) {
    this.lines = new UvLines(surface, mesh, width, height);
    this.seams = new EdgeLines(surface, SEAM);
    this.seams.take(seamEnds(surface, mesh.seams));
    this.seams.show(false);
    this.points = new UvPoints(surface, width, height);
    this.rim = new EdgeLines(surface, RIM);
    this.preview = new EdgeLines(surface, PREVIEW);
    this.colors = new FaceColors(surface);
    this.fence = new FenceVeil(surface, width, height, changed);
    this.follow();
  }

  get onModel(): THREE.Object3D[] {
    return [this.fence.onModel, this.colors.onModel, this.seams.onModel, this.rim.onModel, this.preview.onModel];
  }

  get onMap(): THREE.Object3D[] {
    return [this.fence.onMap, this.colors.onMap, this.lines.lines, this.seams.onMap, this.rim.onMap, this.preview.onMap, this.points.dots];
  }

  /** The UVs have moved. */
  follow(): void {
    this.lines.follow();
    this.points.follow();
    this.seams.follow(this.width, this.height);
    this.rim.follow(this.width, this.height);
    this.preview.follow(this.width, this.height);
    this.colors.follow(this.width, this.height);
  }

  /** Show what a click with a seam tool would mark: sides are face · 3 + side. */
  previewSeams(sides: Uint32Array): void {
    this.preview.take(sides.length ? seamEnds(this.surface, sides) : []);
  }

  /** Marks for work on UVs would be in the way of judging paint; picked faces are shown where a fill will cover them. */
  show(marks: Marks, uvDisplay: UvDisplay, picked: Uint8Array, findings: Findings): void {
    const now = [marks, ...(marks === "none" ? [] : [uvDisplay, picked, findings])];
    if (now.length === this.shown.length && now.every((value, i) => value === this.shown[i])) return;
    this.shown = now;
    this.seams.show(marks === "all");
    if (marks === "none") {
      this.rim.show(false);
      this.colors.paint(null);
      return;
    }
    // A proof is judged by its colors: there picks are an outline.
    const proof = PROOFS.includes(uvDisplay);
    this.rim.take(proof && picked.includes(1) ? rimEnds(this.surface, this.surface.weld, (face) => picked[face] === 1) : []);
    const heat = this.heat(uvDisplay);
    this.colors.paint((face) => {
      if (picked[face] && !proof) return PICKED;
      if (heat) return heat(face);
      if (uvDisplay !== "findings") return null;
      return findings.serious.has(face) ? SERIOUS : findings.care.has(face) ? CARE : null;
    });
  }

  /** Lines over the map as it is shown now. */
  showLines(wanted: boolean, uvDisplay: UvDisplay, shown: Shown): void {
    this.lines.show(wanted);
    this.lines.over(HEATS.includes(uvDisplay) ? null : shown);
  }

  private heat(uvDisplay: UvDisplay): ((face: number) => FaceColor) | null {
    if (!HEATS.includes(uvDisplay)) return null;
    const { stretch, density } = heatOf(this.surface, this.width, this.height);
    const usual = density.slice().sort()[Math.floor(density.length / 2)] ?? 1;
    const colors = new Map<number, FaceColor>();
    this.surface.face.forEach((face, t) =>
      colors.set(face, uvDisplay === "stretch" ? stretchColor(stretch[t]!) : densityColor(density[t]!, usual)),
    );
    return (face) => colors.get(face) ?? null;
  }

  /** The picture shown through the UVs instead of the paint: a uvDisplay, or that a picture is missing. */
  picture(uvDisplay: UvDisplay, surface: SurfaceState): THREE.Texture | null {
    if (uvDisplay === "checker" || uvDisplay === "letters") return this.made(uvDisplay, () => uvPicture(uvDisplay, this.width, this.height));
    return missingFromView(surface) ? this.made(surface.name, () => hatchedPicture(surface.name)) : null;
  }

  private made(key: string, make: () => THREE.Texture): THREE.Texture {
    const known = this.pictures.get(key);
    if (known) return known;
    const picture = make();
    picture.anisotropy = this.anisotropy;
    this.pictures.set(key, picture);
    return picture;
  }

  dispose(): void {
    this.lines.dispose();
    this.points.dispose();
    this.seams.dispose();
    this.rim.dispose();
    this.preview.dispose();
    this.colors.dispose();
    this.fence.dispose();
    for (const picture of this.pictures.values()) picture.dispose();
  }
}
