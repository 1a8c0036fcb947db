import type { Frame, Mapping } from "../api/schema.generated";
import type { BoxChange } from "../api/outgoing";
import { useMovingFrame } from "../state/moving_frame";
import { useSession } from "../state/session";
import { NumberField } from "../ui/number_field";
import { FAR, oneOf, short, shortIn } from "./figures";
import { Head } from "./node_card_head";

type Three = [number, number, number];
const AXES = ["X", "Y", "Z"];
const ROWS: { key: "position" | "size" | "turn"; text: string; least: number; most: number }[] = [
  { key: "position", text: "Middle", least: -FAR, most: FAR },
  { key: "size", text: "Size", least: 1e-6, most: FAR },
  { key: "turn", text: "Turn °", least: -360, most: 360 },
];

/** The box that a picture is projected from, in model units: around the model, or where it is put by numbers. */
export function FrameNumbers({ wash, mapping, onChange, onFit }: { wash: string; mapping: Mapping; onChange: (frame: BoxChange | null) => void; onFit: () => void }) {
  const { modelSize, modelMiddle } = useSession();
  // About what the engine takes when nothing else is said.
  const side = Number((modelSize / Math.sqrt(2)).toPrecision(3));
  const around = { position: modelMiddle.map((value) => Number(value.toPrecision(4))) as Three, size: [side, side, side] as Three, turn: [0, 0, 0] as Three };
  const moving = useMovingFrame();
  const frame = (moving.wash === wash ? moving.frame : mapping.frame) ?? null;
  return (
    <>
      <Head>Projected from</Head>
      <label className="flex h-7 items-center gap-1.5" title="A cube around the whole model; else a box of its own, which stays where it is on the model">
        <input type="checkbox" className="size-4 accent-accent" checked={frame === null} onChange={(event) => onChange(event.target.checked ? null : around)} />
        a cube around the model
      </label>
      <button type="button" onClick={onFit} title="As small as it can be around the surface, as it is turned; its handles lie on the model" className="mb-1 h-7 w-full rounded-control bg-fog-2 hover:bg-fog-3">
        {frame ? "Fit the frame to the surface" : "Take a frame that fits the surface"}
      </button>
      {frame && <BoxNumbers frame={frame} onChange={onChange} />}
    </>
  );
}

/** A box in model space: its middle, its size and how it is turned. */
export function BoxNumbers({ frame, onChange }: { frame: Frame; onChange: (part: BoxChange) => void }) {
  const longest = Math.max(...(frame.size ?? [1, 1, 1]));
  return ROWS.map(({ key, text, least, most }) => (
    <div key={key} className="flex flex-wrap items-center gap-x-1" role="group" aria-label={text}>
      <span className="w-[46px] shrink-0 text-ink-2">{text}</span>
      <span className="flex gap-x-1">
        {AXES.map((axis, k) => (
          <NumberField
            key={axis} label={axis} value={key === "size" ? short(frame.size?.[k] ?? 1) : shortIn(frame[key]?.[k] ?? 0, key === "turn" ? 360 : longest)} min={least} max={most}
            onChange={(value) => onChange({ [key]: oneOf(3, k, value) })}
          />
        ))}
      </span>
    </div>
  ));
}
