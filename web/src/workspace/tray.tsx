import { IconBrush, IconEraser, IconPlus } from "@tabler/icons-react";

import { setPigment, setTip, type Tool, useDesk } from "../state/desk";
import { Part } from "../ui/part";
import { Slider } from "../ui/slider";
import { LARGEST_RADIUS } from "./keys";
import { TipPicture } from "./tip_picture";

const TOOLS: { value: Tool; text: string; hint: string; Icon: typeof IconBrush }[] = [
  { value: "brush", text: "Brush", hint: "Brush (P)", Icon: IconBrush },
  { value: "erase", text: "Erase", hint: "Erase (E)", Icon: IconEraser },
];

const percent = (value: number) => `${Math.round(value * 100)}%`;

/** With what: tool, tip, pigment, palette. */
export function Tray() {
  return (
    <div className="card grid h-full grid-cols-[150px_minmax(300px,1fr)_minmax(330px,1fr)_250px] divide-x divide-fog-3">
      <Tools />
      <TipPart />
      <PigmentPart />
      <Palette />
    </div>
  );
}

function Tools() {
  const tool = useDesk((desk) => desk.tool);
  return (
    <Part title="Tool">
      <div role="radiogroup" aria-label="Tool" className="mt-1.5 flex gap-1.5">
        {TOOLS.map(({ value, text, hint, Icon }) => (
          <button
            key={value}
            type="button"
            role="radio"
            aria-checked={tool === value}
            title={hint}
            onClick={() => useDesk.setState({ tool: value })}
            className={`flex h-[58px] w-[58px] flex-col items-center justify-center gap-1 rounded-control ${
              tool === value ? "bg-ink text-fog" : "bg-fog-2 hover:bg-fog-3"
            }`}
          >
            <Icon size={19} stroke={1.6} />
            {text}
          </button>
        ))}
      </div>
    </Part>
  );
}

function TipPart() {
  const tip = useDesk((desk) => desk.tip);
  return (
    <Part title="Tip">
      <div className="flex gap-3">
        <div className="shrink-0">
          <TipPicture tip={tip} />
          <div className="mt-1 flex gap-1" title="What pen pressure changes; a mouse always presses fully">
            <Toggle text="Size" on={tip.pressure_radius} onChange={(pressure_radius) => setTip({ pressure_radius })} what="Pressure changes the radius" />
            <Toggle text="Flow" on={tip.pressure_strength} onChange={(pressure_strength) => setTip({ pressure_strength })} what="Pressure changes the strength" />
          </div>
        </div>
        <div className="min-w-0 grow">
          <Slider label="Radius" value={tip.radius} min={1} max={LARGEST_RADIUS} fine show={(v) => `${Math.round(v)} px`} onChange={(radius) => setTip({ radius })} title="Keys , and ." />
          <Slider label="Strength" value={tip.strength} min={0.01} max={1} show={percent} onChange={(strength) => setTip({ strength })} title="How much one stroke covers" />
          <Slider label="Hardness" value={tip.hardness} min={0} max={1} show={percent} onChange={(hardness) => setTip({ hardness })} title="How much of the radius has full weight" />
          <Slider label="Spacing" value={tip.spacing} min={0.02} max={2} fine show={percent} onChange={(spacing) => setTip({ spacing })} title="From dab to dab, as a share of the diameter" />
        </div>
      </div>
    </Part>
  );
}

function Toggle({ text, on, onChange, what }: { text: string; on: boolean; onChange: (on: boolean) => void; what: string }) {
  return (
    <button
      type="button"
      aria-pressed={on}
      aria-label={what}
      title={what}
      onClick={() => onChange(!on)}
      className={`h-7 grow rounded-control px-1.5 ${on ? "bg-accent-soft" : "bg-fog-2 text-ink-2 hover:bg-fog-3"}`}
    >
      {text}
    </button>
  );
}

function PigmentPart() {
  const pigment = useDesk((desk) => desk.pigment);
  const color = pigment.base_color ?? "#808080";
  const onOff = (name: string, on: boolean, change: (on: boolean) => void) => (
    <button
      type="button"
      role="switch"
      aria-checked={on}
      aria-label={`Paint ${name}`}
      title={on ? `Leave ${name} alone` : `Paint ${name}`}
      onClick={() => change(!on)}
      className={`h-7 w-9 shrink-0 rounded-control ${on ? "bg-accent-soft" : "bg-fog-2 text-ink-2"}`}
    >
      {on ? "on" : "off"}
    </button>
  );
  return (
    <Part title="Pigment">
      <div className="flex h-7 items-center gap-2">
        <span className="w-[62px] shrink-0">Color</span>
        <input
          type="color"
          aria-label="Color"
          value={color}
          disabled={pigment.base_color == null}
          onChange={(event) => setPigment({ base_color: event.target.value })}
          className="color-well h-5 min-w-0 grow"
        />
        <span className="w-14 shrink-0 text-right text-ink-2">{color}</span>
        {onOff("color", pigment.base_color != null, (on) => setPigment({ base_color: on ? color : null }))}
      </div>
      {VALUES.map(({ key, label, ends, rest }) => (
        <div key={key} className="flex items-center gap-2">
          <div className="min-w-0 grow">
            <Slider
              label={label}
              value={pigment[key] ?? rest}
              min={0}
              max={1}
              disabled={pigment[key] == null}
              ends={ends}
              show={(value) => (key === "height" ? signed(value - 0.5) : value.toFixed(2))}
              onChange={(value) => setPigment({ [key]: value })}
            />
          </div>
          {onOff(label.toLowerCase(), pigment[key] != null, (on) => setPigment({ [key]: on ? rest : null }))}
        </div>
      ))}
    </Part>
  );
}

const signed = (value: number) => `${value >= 0 ? "+" : "−"}${Math.abs(value).toFixed(2)}`;

const VALUES: { key: "roughness" | "metallic" | "height"; label: string; ends: [string, string]; rest: number }[] = [
  { key: "roughness", label: "Rough", ends: ["shiny", "rough"], rest: 0.5 },
  { key: "metallic", label: "Metal", ends: ["no metal", "bare metal"], rest: 0 },
  { key: "height", label: "Bump", ends: ["dug in", "raised"], rest: 0.6 },
];

function Palette() {
  const palette = useDesk((desk) => desk.palette);
  const color = useDesk((desk) => desk.pigment.base_color);
  const add = () => {
    if (color && !palette.includes(color)) useDesk.setState({ palette: [...palette, color].slice(-24) });
  };
  return (
    <Part title="Palette">
      <div className="mt-1.5 flex flex-wrap gap-1">
        {palette.map((swatch) => (
          <button
            key={swatch}
            type="button"
            title={`${swatch}; right click removes it`}
            aria-label={`Use ${swatch}`}
            aria-pressed={swatch === color}
            onClick={() => setPigment({ base_color: swatch })}
            onContextMenu={(event) => {
              event.preventDefault();
              useDesk.setState({ palette: palette.filter((other) => other !== swatch) });
            }}
            style={{ background: swatch }}
            className={`size-7 rounded-control shadow-[inset_0_0_0_1px_rgb(0_0_0/0.18)] ${
              swatch === color ? "outline-2 outline-offset-1 outline-accent" : ""
            }`}
          />
        ))}
        <button
          type="button"
          title="Add the current color"
          aria-label="Add the current color to the palette"
          onClick={add}
          className="grid size-7 place-items-center rounded-control bg-fog-2 text-ink-2 hover:bg-fog-3"
        >
          <IconPlus size={14} />
        </button>
      </div>
    </Part>
  );
}
