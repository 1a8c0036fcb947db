import * as THREE from "three";

import type { CameraPose } from "../state/desk";

const STEEPEST = 1.55;
const FOV = 35;
/** Share of the view that all of the model may take. */
const MARGIN = 0.92;
/** The same of a view that has become too narrow for it. */
const NARROW = 0.97;
/** Of the view's upper half, what stays for the model at least. */
const LEAST = 0.4;

/** How near one goes, and how far, by the model's reach. */
const NEAREST = 0.02;
const FARTHEST = 40;

/** What lies over the top of the view, from where to where across and down to where: -1 to 1, to the right and up. */
export interface Bar {
  left: number;
  right: number;
  bottom: number;
}

/** The camera's hand: orbits about a pivot, pans, zooms towards the pointer, frames the model. Up stays +y. */
export class Orbit {
  readonly camera = new THREE.PerspectiveCamera(FOV, 1, 0.01, 100);
  readonly target = new THREE.Vector3();
  private turn = 0.5;
  private rise = 0.25;
  private distance = 5;
  /** Degrees to which the view is rolled about its own axis. */
  private roll = 0;
  private readonly center = new THREE.Vector3();
  private reach = 1;
  /** All places of the model. */
  private places: Float32Array[] = [];
  /** Where it stood when all of the model was framed. */
  private framed = "";
  /** How far away it stood before the view became too narrow for the model, and where it has stood since. */
  private before: { distance: number; since: CameraPose } | null = null;

  /** Take the model's bounds, and its places; with a model of another size, or elsewhere, the camera goes along. */
  take(bounds: THREE.Box3, places: Float32Array[]): void {
    const first = this.places.length === 0;
    const [center, reach] = [this.center.clone(), this.reach];
    this.places = places;
    bounds.getCenter(this.center);
    this.reach = Math.max(bounds.getSize(new THREE.Vector3()).length() / 2, 1e-6);
    if (!first) this.goAlong(center, reach);
    this.place();
  }

  /** What was seen of a model with this center and reach is seen of this one. */
  private goAlong(center: THREE.Vector3, reach: number): void {
    const growth = this.reach / reach;
    const apart = this.center.distanceTo(center) > Math.max(this.reach, reach);
    if (Math.abs(Math.log2(growth)) < 1 && !apart) return;
    this.target.sub(center).multiplyScalar(growth).add(this.center);
    this.distance *= growth;
  }

  /** Show all of the model, as large as it goes beside what lies over the view, without turning; the horizon is level. */
  frame(bars: Bar[]): void {
    this.roll = 0;
    this.near(this.places, MARGIN);
    const free = bars.filter((bar) => this.liesUnder(bar)).map(({ bottom }) => bottom);
    if (free.length) this.distance = Math.max(this.distance, this.needed(this.places, MARGIN, Math.max(Math.min(...free), LEAST)));
    this.place();
    this.framed = JSON.stringify(this.pose);
  }

  /** Whether it has stood still since all of the model was framed. */
  get asFramed(): boolean {
    return this.framed === JSON.stringify(this.pose);
  }

  /** Whether what of the model stands as high as a bar lies under it. */
  private liesUnder({ left, right, bottom }: Bar): boolean {
    const at = new THREE.Vector3();
    let [first, last] = [Infinity, -Infinity];
    eachPlace(this.places, (x, y, z) => {
      if (at.set(x, y, z).project(this.camera).y <= bottom) return;
      first = Math.min(first, at.x);
      last = Math.max(last, at.x);
    });
    return first < right && last > left;
  }

  /** Show these places, (x, y, z) after each other. share: how much of the view's half they may take. */
  near(places: Float32Array[], share = 0.75): void {
    const box = new THREE.Box3();
    const at = new THREE.Vector3();
    eachPlace(places, (x, y, z) => box.expandByPoint(at.set(x, y, z)));
    if (box.isEmpty()) return;
    box.getCenter(this.target);
    this.place();
    this.distance = Math.max(this.needed(places, share), this.reach * NEAREST);
    this.place();
  }

  /** From how far these places fit into the view, whose middle and directions stay. top: the share of its upper half. */
  private needed(places: Float32Array[], share: number, top = share): number {
    const [right, up, back] = [0, 1, 2].map((k) => new THREE.Vector3().setFromMatrixColumn(this.camera.matrix, k)) as [THREE.Vector3, THREE.Vector3, THREE.Vector3];
    const half = Math.tan(THREE.MathUtils.degToRad(FOV / 2));
    const [across, above, below] = [half * share * this.camera.aspect, half * top, half * share];
    const at = new THREE.Vector3();
    let distance = 0;
    eachPlace(places, (x, y, z) => {
      at.set(x, y, z).sub(this.target);
      const height = at.dot(up);
      const needed = Math.max(Math.abs(at.dot(right)) / across, height / above, -height / below) + at.dot(back);
      distance = Math.max(distance, needed);
    });
    return distance;
  }

  /** Where the camera stands, what it looks at, and how large a model it was. */
  get pose(): CameraPose {
    const { turn, rise, roll, distance, reach } = this;
    return { target: this.target.toArray(), turn, rise, roll, distance, center: this.center.toArray(), reach };
  }

  /** See this model as one was seen that may have been another. */
  set pose({ target, turn, rise, roll, distance, center, reach }: CameraPose) {
    this.target.fromArray(target);
    Object.assign(this, { turn, rise, roll, distance });
    if (center && reach) this.goAlong(new THREE.Vector3().fromArray(center), reach);
    this.place();
  }

  /** The view has another shape: a model that was seen whole stays so, and comes near again where there is room. */
  reshape(aspect: number): void {
    const { before } = this;
    const back = before && JSON.stringify(before.since) === JSON.stringify(this.pose) ? before.distance : null;
    const whole = back !== null || this.needed(this.places, 1) <= this.distance;
    const share = Math.min(1, this.camera.aspect) / Math.min(1, aspect);
    this.camera.aspect = aspect;
    if (!whole) this.distance *= share;
    else {
      const wanted = back ?? this.distance;
      const distance = Math.max(wanted, this.needed(this.places, NARROW));
      this.distance = distance;
      this.before = distance > wanted ? { distance: wanted, since: this.pose } : null;
    }
    this.place();
  }

  turnBy(dx: number, dy: number): void {
    this.turn -= dx * 0.008;
    this.rise = THREE.MathUtils.clamp(this.rise + dy * 0.008, -STEEPEST, STEEPEST);
    this.place();
  }

  /** Tilt the horizon. */
  rollBy(dx: number): void {
    this.roll += dx * 0.006;
    this.place();
  }

  /** Look straight at a place, along its normal; the horizon is level again. */
  face(point: THREE.Vector3, normal: THREE.Vector3): void {
    this.target.copy(point);
    this.turn = Math.atan2(normal.x, normal.z);
    this.rise = THREE.MathUtils.clamp(Math.asin(THREE.MathUtils.clamp(normal.y, -1, 1)), -STEEPEST, STEEPEST);
    this.roll = 0;
    this.place();
  }

  /** Go to a distance from the model's middle, as it will be seen in use. */
  stand(distance: number): void {
    this.target.copy(this.center);
    this.distance = distance;
    this.place();
  }

  get standing(): number {
    return this.distance;
  }

  /** What is up in the view: strokes must be seen through the same. */
  get up(): THREE.Vector3 {
    return new THREE.Vector3(0, 1, 0).applyQuaternion(this.camera.quaternion);
  }

  /** Pan by pixels of a viewport of this height. */
  panBy(dx: number, dy: number, height: number): void {
    const unit = (2 * this.distance * Math.tan(THREE.MathUtils.degToRad(FOV / 2))) / height;
    const { elements } = this.camera.matrix;
    this.target.addScaledVector(new THREE.Vector3(elements[0], elements[1], elements[2]), -dx * unit);
    this.target.addScaledVector(new THREE.Vector3(elements[4], elements[5], elements[6]), dy * unit);
    this.place();
  }

  /** Closer (factor below 1) or farther; the point `towards` keeps its place on the screen. */
  zoomBy(factor: number, towards: THREE.Vector3 | null): void {
    const next = THREE.MathUtils.clamp(this.distance * factor, this.reach * NEAREST, this.reach * FARTHEST);
    const share = next / this.distance;
    if (towards) this.target.lerp(towards, 1 - share);
    this.distance = next;
    this.place();
  }

  private place(): void {
    const flat = Math.cos(this.rise) * this.distance;
    this.camera.position.set(
      this.target.x + Math.sin(this.turn) * flat,
      this.target.y + Math.sin(this.rise) * this.distance,
      this.target.z + Math.cos(this.turn) * flat,
    );
    this.camera.up.set(0, 1, 0);
    this.camera.lookAt(this.target);
    this.camera.rotateZ(this.roll);
    const away = this.camera.position.distanceTo(this.center);
    this.camera.near = Math.max((away - this.reach) * 0.9, this.distance * 0.01, 1e-6);
    this.camera.far = away + this.reach * 1.1 + this.distance * 0.01;
    this.camera.updateProjectionMatrix();
    this.camera.updateMatrixWorld();
  }
}

function eachPlace(places: Float32Array[], visit: (x: number, y: number, z: number) => void): void {
  for (const list of places) for (let i = 0; i < list.length; i += 3) visit(list[i]!, list[i + 1]!, list[i + 2]!);
}
