import { useDesk } from "../state/desk";
import type { MapView } from "./map_view";
import type { ModelView } from "./model_view";

/** Milliseconds without movement until a view's place is kept. */
const REST = 400;

/** Where the painter has left both views: found again when a project is opened, kept once they rest. */
export class LeftPlaces {
  private said = "";
  private timer = 0;

  constructor(
    private readonly model: ModelView,
    private readonly map: MapView,
  ) {}

  /** See the map as it was left, and the model; false when that was not turned before. */
  find(): boolean {
    const { camera, mapPlace } = useDesk.getState();
    this.map.startAt(mapPlace);
    if (camera) this.model.orbit.pose = camera;
    return camera !== null;
  }

  keep(): void {
    const left = { camera: this.model.orbit.pose, mapPlace: this.map.place };
    const said = JSON.stringify(left);
    if (said === this.said) return;
    this.said = said;
    clearTimeout(this.timer);
    this.timer = window.setTimeout(() => useDesk.setState(left), REST);
  }

  dispose(): void {
    clearTimeout(this.timer);
  }
}
