import * as THREE from "three";

import type { BodyFrame, Frame, MapFrame, SurfaceFrame } from "../api/schema.generated";
import { bendOf, metBy, rolledOut, rolledUp } from "./bend";
import type { Views } from "./views";

/** What fills a box may lie outside by rounding: a share of its side. */
const AT_SIDES = 1e-3;

export interface Point {
  x: number;
  y: number;
}

/** The plane of a frame, or its curve, in its own units, from its middle, before it is turned: how it lies on the canvas. */
export interface FramePlane {
  bent: boolean;
  /** Where a place lies on the canvas, z towards the viewer; null behind the eye. */
  toStage(x: number, y: number, z?: number): Point | null;
  /** Which place of the plane lies under a place of the canvas. */
  fromStage(x: number, y: number): Point | null;
}

/** Right, up and towards the viewer, as the engine takes them: upright where it hangs on a wall. */
function axesOf(normal: readonly number[]): [THREE.Vector3, THREE.Vector3, THREE.Vector3] {
  const z = new THREE.Vector3(...(normal as [number, number, number])).normalize();
  const x = new THREE.Vector3(0, 1, 0).cross(z);
  if (x.length() < 1e-6) x.set(0, 0, -Math.sign(z.y)).cross(z);
  x.normalize();
  return [x, z.clone().cross(x), z];
}

/** The plane of a frame in the view in which it lies; null when that is not shown. */
export function framePlane(views: Views, frame: SurfaceFrame | MapFrame): FramePlane | null {
  return frame.kind === "map" ? mapPlane(views, frame) : surfacePlane(views, frame as SurfaceFrame);
}

function surfacePlane(views: Views, frame: SurfaceFrame): FramePlane | null {
  const area = views.area("model");
  if (!area) return null;
  const middle = new THREE.Vector3(...(frame.position as [number, number, number]));
  const [right, up, front] = axesOf(frame.normal ?? [0, 0, 1]);
  const { camera } = views.model.orbit;
  const bend = bendOf(frame);
  const own = (v: THREE.Vector3) => new THREE.Vector3(v.dot(right), v.dot(up), v.dot(front));
  return {
    bent: bend !== null,
    toStage(x, y, z = 0) {
      const [a, b, c] = bend ? rolledUp(bend, x, y, z) : [x, y, z];
      const place = middle.clone().addScaledVector(right, a).addScaledVector(up, b).addScaledVector(front, c);
      if (place.clone().applyMatrix4(camera.matrixWorldInverse).z > -1e-9) return null;
      const at = views.model.placeOf(place, area.width, area.height);
      return { x: at.x + area.x, y: at.y + area.y };
    },
    fromStage(x, y) {
      const caster = new THREE.Raycaster();
      caster.setFromCamera(new THREE.Vector2((2 * (x - area.x)) / area.width - 1, 1 - (2 * (y - area.y)) / area.height), camera);
      if (bend) {
        const met = metBy(bend, own(caster.ray.origin.clone().sub(middle)), own(caster.ray.direction));
        const [a, b] = rolledOut(bend, met.x, met.y, met.z);
        return { x: a, y: b };
      }
      const met = caster.ray.intersectPlane(new THREE.Plane().setFromNormalAndCoplanarPoint(front, middle), new THREE.Vector3());
      if (!met) return null;
      met.sub(middle);
      return { x: met.dot(right), y: met.dot(up) };
    },
  };
}

function mapPlane(views: Views, frame: MapFrame): FramePlane | null {
  const area = views.area("map");
  const overlays = views.overlays[views.chosen];
  if (!area || !overlays) return null;
  const longest = Math.max(overlays.width, overlays.height);
  const [u, v] = frame.center as [number, number];
  const middle = { x: u * overlays.width, y: v * overlays.height };
  return {
    bent: false,
    toStage(x, y) {
      const at = views.map.placeOf(middle.x + x * longest, middle.y - y * longest);
      return { x: at.x + area.x, y: at.y + area.y };
    },
    fromStage(x, y) {
      const at = views.map.texelAt(x - area.x, y - area.y);
      return { x: (at.x - middle.x) / longest, y: (middle.y - at.y) / longest };
    },
  };
}

/** From the frame's own axes to those of its plane: turned with the clock. */
export function turned({ x, y }: Point, degrees: number): Point {
  const [c, s] = [Math.cos((degrees * Math.PI) / 180), Math.sin((degrees * Math.PI) / 180)];
  return { x: c * x + s * y, y: c * y - s * x };
}

/** How far two places of the canvas lie from each other; 0 where one is behind the eye. */
export const apart = (a: Point, b: Point | null): number => (b ? Math.hypot(a.x - b.x, a.y - b.y) : 0);

/** Farther from the middle than a place by some pixels. */
export function beyond(at: Point, middle: Point, pixels: number): Point {
  const away = apart(at, middle) || 1;
  return { x: at.x + ((at.x - middle.x) / away) * pixels, y: at.y + ((at.y - middle.y) / away) * pixels };
}

/** About a box's own x, then y, then z, as the engine turns it. */
export const turnOf = (frame: Frame): THREE.Matrix4 =>
  new THREE.Matrix4().makeRotationFromEuler(new THREE.Euler(...((frame.turn ?? [0, 0, 0]).map(THREE.MathUtils.degToRad) as [number, number, number]), "XYZ"));

/** Whether a place of the model lies in a box around a body, or at its sides. */
export function boxHolds(frame: BodyFrame, place: THREE.Vector3): boolean {
  const own = place.clone().sub(new THREE.Vector3(...(frame.position as [number, number, number]))).applyMatrix4(turnOf(frame).transpose());
  return own.toArray().every((along, k) => Math.abs(along) <= (0.5 + AT_SIDES) * frame.size![k]!);
}

/** Whether a place of the model lies in the box of a frame. */
export function holdsPlace(frame: SurfaceFrame, place: THREE.Vector3): boolean {
  const [right, up, front] = axesOf(frame.normal ?? [0, 0, 1]);
  const away = place.clone().sub(new THREE.Vector3(...(frame.position as [number, number, number])));
  const bend = bendOf(frame);
  const flat = [away.dot(right), away.dot(up), away.dot(front)] as const;
  const [a, b, z] = bend ? rolledOut(bend, ...flat) : flat;
  const { x, y } = turned({ x: a, y: b }, -(frame.roll ?? 0));
  return Math.abs(x) <= frame.width / 2 && Math.abs(y) <= frame.height / 2 && Math.abs(z) <= frame.depth / 2;
}
