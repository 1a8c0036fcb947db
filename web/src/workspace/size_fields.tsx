import { useDesk } from "../state/desk";
import { NumberField } from "../ui/number_field";

interface Size {
  width: number;
  height: number;
}

interface Props {
  size: Size;
  show: (length: number) => number;
  min: number;
  max: number;
  unit?: string;
  /** What the lengths are of. */
  title?: string;
  onChange: (size: Partial<Size>) => void;
}

/** Width and height of a picture that lies somewhere: both grow together, unless its proportions are set free. */
export function SizeFields({ size, show, min, max, unit, title, onChange }: Props) {
  const { inProportion } = useDesk();
  const { width, height } = size;
  const along = (side: keyof Size, factor: number) => inProportion && { [side]: Math.min(max, Math.max(min, size[side] * factor)) };
  return (
    <>
      <NumberField label="Wide" value={show(width)} min={min} max={max} unit={unit} title={title} onChange={(wide) => onChange({ width: wide, ...along("height", wide / width) })} />
      <NumberField label="High" value={show(height)} min={min} max={max} unit={unit} title={title} onChange={(high) => onChange({ height: high, ...along("width", high / height) })} />
    </>
  );
}

/** Whether numbers keep a picture's proportions. */
export function InProportion() {
  const { inProportion } = useDesk();
  return (
    <label className="flex h-7 items-center gap-1.5" title="A new width brings its height along, and a new height its width">
      <input type="checkbox" className="size-4 accent-accent" checked={inProportion} onChange={(event) => useDesk.setState({ inProportion: event.target.checked })} />
      in proportion
    </label>
  );
}

/** Sides that differ by less lie as the picture does. */
const SAME = 0.01;

/** There while a picture lies stretched: gives it the height that belongs to its width. `wanted`: width for each height. */
export function Undistort({ size: { width, height }, wanted, onChange }: { size: Size; wanted: number; onChange: (size: Size) => void }) {
  if (Math.abs(width / height / wanted - 1) < SAME) return null;
  return (
    <button type="button" title="The picture’s own proportions, as wide as it is now" onClick={() => onChange({ width, height: width / wanted })} className="h-7 rounded-control bg-fog-2 px-2 hover:bg-fog-3">
      Undistort
    </button>
  );
}
