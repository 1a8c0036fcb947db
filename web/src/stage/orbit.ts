import * as THREE from "three";

const STEEPEST = 1.55;
const FOV = 35;

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

  /** Take the model's bounds and show all of it. */
  frame(bounds: THREE.Box3): void {
    bounds.getCenter(this.center);
    this.reach = Math.max(bounds.getSize(new THREE.Vector3()).length() / 2, 1e-6);
    this.target.copy(this.center);
    this.roll = 0;
    const narrow = Math.min(1, this.camera.aspect);
    this.distance = (0.8 * this.reach) / Math.sin(THREE.MathUtils.degToRad(FOV / 2)) / narrow;
    this.place();
  }

  /** Show what a box holds, as large as it goes, without turning. */
  near(box: THREE.Box3): void {
    box.getCenter(this.target);
    const reach = Math.max(box.getSize(new THREE.Vector3()).length() / 2, this.reach * 0.02);
    this.distance = (1.1 * reach) / Math.sin(THREE.MathUtils.degToRad(FOV / 2)) / Math.min(1, this.camera.aspect);
    this.place();
  }

  /** The view has another shape: what was to be seen across stays to be seen. */
  reshape(aspect: number): void {
    const share = Math.min(1, this.camera.aspect) / Math.min(1, aspect);
    this.camera.aspect = aspect;
    this.distance *= share;
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
    const next = THREE.MathUtils.clamp(this.distance * factor, this.reach * 0.02, this.reach * 40);
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
