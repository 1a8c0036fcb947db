import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { IconAdjustments, IconPlus } from "@tabler/icons-react";
import { useEffect, useRef, useState } from "react";

import { addTip, listTips } from "../api/rest";
import type { Tip, TipChoice } from "../api/schema.generated";
import { setTip, useDesk } from "../state/desk";
import type { Project } from "../state/project";
import { usualRadius } from "../state/radius";
import { useSession } from "../state/session";
import { Segmented } from "../ui/segmented";
import { Slider } from "../ui/slider";
import { CurveEditor } from "./curve_editor";
import { MODES } from "./layer_settings";
import { Presets } from "./presets";
import { Toggle } from "./toggle";

const FALLOFFS: { value: Tip["falloff"]; text: string }[] = [
  { value: "smooth", text: "Smooth" },
  { value: "linear", text: "Linear" },
  { value: "dome", text: "Dome" },
  { value: "point", text: "Point" },
  { value: "curve", text: "Curve" },
];
const ANGLES: { value: Tip["angle_mode"]; text: string; hint: string }[] = [
  { value: "fixed", text: "Fixed", hint: "The tip keeps its angle" },
  { value: "along", text: "Along", hint: "The tip turns with the stroke" },
  { value: "tilt", text: "Tilt", hint: "The tip turns the way a pen is tilted, where the pen tells" },
  { value: "random", text: "Random", hint: "Every dab is turned by chance" },
];

const PRESSURES = [
  { what: "radius", text: "Radius", hint: "Pressing harder paints wider" },
  { what: "strength", text: "Strength", hint: "Pressing harder covers more" },
  { what: "hardness", text: "Hardness", hint: "Pressing harder makes the rim harder" },
] as const;

const percent = (value: number) => `${Math.round(value * 100)}%`;

/** Everything about the tip that is not needed all the time. */
export function TipSettings({ project }: { project: Project }) {
  return (
    <Popover className="relative">
      <PopoverButton className="flex h-6 items-center gap-1 rounded-control px-1.5 font-normal hover:bg-fog-2" title="Falloff, blending, jitter, pictures, pressure, presets">
        <IconAdjustments size={15} stroke={1.7} /> More
      </PopoverButton>
      <PopoverPanel anchor="top" className="card z-20 max-h-[560px] w-[620px] overflow-y-auto p-3.5 shadow-lg [--anchor-gap:8px]">
        <div className="grid grid-cols-2 gap-x-6">
          <div>
            <Falloffs />
            <Blending />
            <Jitter />
          </div>
          <div>
            <Pictures project={project} />
            <PathSettings />
          </div>
        </div>
        <Pressure />
        <Presets project={project} />
      </PopoverPanel>
    </Popover>
  );
}

function Head({ children }: { children: string }) {
  return <h3 className="mt-2 mb-0.5 font-semibold text-ink-2 first:mt-0">{children}</h3>;
}

function Falloffs() {
  const tip = useDesk((desk) => desk.tip);
  return (
    <>
      <Head>Falloff</Head>
      <div className="-ml-1">
        <Segmented
          label="Falloff"
          options={FALLOFFS}
          value={tip.falloff}
          onChange={(falloff) => setTip({ falloff, curve: tip.curve ?? [[0, 1], [0.5, 0.5], [1, 0]] })}
        />
      </div>
      {tip.falloff === "curve" && <CurveEditor points={(tip.curve ?? []) as [number, number][]} onChange={(curve) => setTip({ curve })} />}
    </>
  );
}

function Blending() {
  const tip = useDesk((desk) => desk.tip);
  const color = useDesk((desk) => desk.pigment.base_color);
  const hint = noChange(tip.blend, color ?? null);
  return (
    <>
      <Head>Paint meets the layer</Head>
      <div className="flex gap-1.5">
        <select aria-label="Brush blend mode" value={tip.blend} onChange={(event) => setTip({ blend: event.target.value as Tip["blend"] })} className="h-7 min-w-0 grow rounded-control bg-fog-2 px-2">
          {MODES.map((mode) => (
            <option key={mode}>{mode}</option>
          ))}
        </select>
        <Toggle text="Builds up" on={tip.build_up} onChange={(build_up) => setTip({ build_up })} what="Dabs of one stroke add up, also while resting, instead of stopping at the strength" />
        <Toggle text="Covered too" on={tip.covered_too} onChange={(covered_too) => setTip({ covered_too })} what="Also paint what another part hides from the eye" />
      </div>
      {hint && <p className="mt-1 text-care">{hint}</p>}
      <div className="mt-1 flex gap-1.5">
        <Toggle text="Screen px" on={tip.unit === "px"} onChange={() => setTip({ unit: "px", radius: 38 })} what="The radius is measured on the screen" />
        <Toggle text="Model units" on={tip.unit === "world"} onChange={() => setTip({ unit: "world", radius: usualRadius() })} what="The radius is measured on the model" />
      </div>
    </>
  );
}

function Jitter() {
  const tip = useDesk((desk) => desk.tip);
  return (
    <>
      <Head>Jitter</Head>
      <Slider label="Place" value={tip.jitter_place} min={0} max={2} show={percent} onChange={(jitter_place) => setTip({ jitter_place })} />
      <Slider label="Size" value={tip.jitter_radius} min={0} max={1} show={percent} onChange={(jitter_radius) => setTip({ jitter_radius })} />
      <Slider label="Angle" value={tip.jitter_angle} min={0} max={1} show={percent} onChange={(jitter_angle) => setTip({ jitter_angle })} />
      <Slider label="Tone" value={tip.jitter_color} min={0} max={1} show={percent} onChange={(jitter_color) => setTip({ jitter_color })} />
    </>
  );
}

function PathSettings() {
  const tip = useDesk((desk) => desk.tip);
  return (
    <>
      <Head>Path</Head>
      <div className="-ml-1 flex items-center">
        <Segmented label="Angle of the tip" options={ANGLES} value={tip.angle_mode} onChange={(angle_mode) => setTip({ angle_mode })} />
      </div>
      <Slider label="Turned" value={tip.angle} min={-180} max={180} show={(v) => `${Math.round(v)}°`} onChange={(angle) => setTip({ angle: Math.round(angle) })} />
      <Slider label="Stabilizer" value={tip.stabilizer} min={0} max={120} fine show={(v) => `${Math.round(v)} px`} onChange={(stabilizer) => setTip({ stabilizer })} title="The brush trails behind the pointer on a string of this length" />
      <Slider label="Taper" value={tip.taper} min={0} max={400} fine show={(v) => `${Math.round(v)} px`} onChange={(taper) => setTip({ taper })} title="Both ends of a stroke grow thin over this length" />
    </>
  );
}

function Pressure() {
  const tip = useDesk((desk) => desk.tip);
  return (
    <>
      <Head>Pen pressure</Head>
      <div className="grid grid-cols-3 gap-x-6">
        {PRESSURES.map(({ what, text, hint }) => {
          const on = tip[`pressure_${what}`];
          const curve = tip[`pressure_${what}_curve`];
          const change = (part: Partial<typeof curve>) => setTip({ [`pressure_${what}_curve`]: { ...curve, ...part } });
          return (
            <div key={what} className="flex flex-col">
              <Toggle text={text} on={on} onChange={(next) => setTip({ [`pressure_${what}`]: next })} what={hint} />
              <Slider label="Least" value={curve.least} min={0} max={1} disabled={!on} show={percent} onChange={(least) => change({ least })} title={`What the lightest touch leaves of the ${what}`} />
              <Slider label="Curve" value={Math.log2(curve.gamma)} min={-2} max={2} disabled={!on} show={(v) => (2 ** v).toFixed(1)} read={Math.log2} onChange={(v) => change({ gamma: 2 ** v })} title="Above 1 light touches count less" />
            </div>
          );
        })}
      </div>
    </>
  );
}

function Pictures({ project }: { project: Project }) {
  const chosen = useDesk((desk) => desk.tip.picture);
  const input = useRef<HTMLInputElement>(null);
  const [tips, setTips] = useState<TipChoice[]>([]);
  useEffect(() => {
    let current = true;
    // A tip that was added meanwhile may not be in this answer yet.
    const join = (found: TipChoice[]) => (all: TipChoice[]) => [...found, ...all.filter(({ name }) => !found.some((other) => other.name === name))];
    listTips(project.id).then((found) => current && setTips(join(found)), () => undefined);
    return () => {
      current = false;
    };
  }, [project.id]);
  const add = async (files: File[]) => {
    if (!files[0]) return;
    try {
      const made = await addTip(project.id, files[0]);
      setTips((all) => [...all, made]);
      setTip({ picture: made.name });
    } catch (error) {
      useSession.setState({ notice: (error as Error).message });
    }
  };
  const cell = "size-11 rounded-control bg-white ring-accent";
  return (
    <div
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        void add([...event.dataTransfer.files]);
      }}
    >
      <Head>Picture of the tip</Head>
      <div className="flex flex-wrap gap-1">
        <button type="button" title="No picture: the falloff alone" aria-pressed={chosen === null} onClick={() => setTip({ picture: null })} className={`${cell} text-ink-2 ${chosen === null ? "ring-2" : ""}`}>
          none
        </button>
        {tips.map(({ name, title }) => (
          <button key={name} type="button" title={title} aria-label={title} aria-pressed={chosen === name} onClick={() => setTip({ picture: name })} className={`${cell} ${chosen === name ? "ring-2" : ""}`}>
            <img src={`/api/projects/${project.id}/tips/${encodeURIComponent(name)}.png`} alt="" className="size-full rounded-control object-contain" />
          </button>
        ))}
        <button type="button" title="A picture of your own: choose or drop a file here" aria-label="Add a tip picture" onClick={() => input.current?.click()} className={`${cell} grid place-items-center bg-fog-2 text-ink-2`}>
          <IconPlus size={16} />
        </button>
      </div>
      <input ref={input} type="file" hidden aria-label="Own tip" accept=".png,.jpg,.jpeg,.webp,.tif,.tiff,.tga" onChange={(event) => { void add([...(event.target.files ?? [])]); event.target.value = ""; }} />
    </div>
  );
}

/** Where a mode and a tone together can change nothing, the painter is told. */
function noChange(mode: Tip["blend"], color: string | null): string | null {
  if (!color) return null;
  const channels = [1, 3, 5].map((at) => parseInt(color.slice(at, at + 2), 16));
  const light = Math.min(...channels) > 245;
  const dark = Math.max(...channels) < 10;
  if (light && ["multiply", "darken", "color-burn"].includes(mode)) return `White changes nothing with ${mode}: choose a darker tone.`;
  if (dark && ["screen", "lighten", "add", "subtract", "color-dodge", "difference", "exclusion"].includes(mode)) {
    return `Black changes nothing with ${mode}: choose a lighter tone.`;
  }
  return null;
}
