import type { BodyFrame, SurfaceFrame } from "../api/schema.generated";
import type { FrameChange } from "../state/decals";
import { NumberField } from "../ui/number_field";
import { Segmented } from "../ui/segmented";
import { refuseTyped } from "../ui/typed";
import { FAR, short } from "./figures";

type Shape = NonNullable<SurfaceFrame["shape"] | BodyFrame["shape"]>;

const SHAPES: { value: Shape; text: string; hint: string }[] = [
  { value: "planar", text: "Flat", hint: "Straight onto the surface" },
  { value: "cylindrical", text: "Cylinder", hint: "Around an axis, as a label lies on a drum" },
  { value: "wrap", text: "Ball", hint: "Around a point: every way from its middle keeps its length" },
  { value: "spherical", text: "Sphere", hint: "Around the whole part, up to its poles" },
  { value: "box", text: "Box", hint: "On all sides of the part, upright on each" },
  { value: "triplanar", text: "Three ways", hint: "On all sides of the part, softly from one to the next" },
];

/** On the surface, along which curve, or around the part below it. */
export function ShapeField({ shape, onChange }: { shape: Shape; onChange: (part: FrameChange) => void }) {
  return (
    <div className="-ml-1">
      <Segmented wraps label="Shape of the decal" options={SHAPES} value={shape} onChange={(next) => onChange({ shape: next })} />
    </div>
  );
}

/** How strongly the curve is bent along which a decal lies. */
export function BendFields({ frame, onChange }: { frame: SurfaceFrame; onChange: (part: FrameChange) => void }) {
  const { shape = "planar", radius = 1, axis = 0, follows = true } = frame;
  if (shape === "planar") return null;
  const bend = (next: number) => {
    if (next === 0) refuseTyped(`Radius is above 0 or, in a hollow, below it. It stays ${short(radius)}.`);
    else onChange({ radius: next, follows: false });
  };
  return (
    <>
      <div className="flex flex-wrap gap-x-3">
        <NumberField label="Radius" value={short(Math.min(Math.max(radius, -FAR), FAR))} min={-FAR} max={FAR} title="Of the curve, in model units; below 0 in a hollow, as large as can be on what is flat" onChange={bend} />
        {shape === "cylindrical" && <NumberField label="Leans" value={short(axis)} min={-360} max={360} unit="°" title="The axis, with the clock from upright" onChange={(next) => onChange({ axis: next, follows: false })} />}
      </div>
      <label className="flex h-7 items-center gap-1.5" title="Radius and axis are those of the surface below it, also when it is moved">
        <input type="checkbox" className="size-4 accent-accent" checked={follows} onChange={(event) => onChange({ follows: event.target.checked })} />
        bent as the surface is
      </label>
    </>
  );
}
