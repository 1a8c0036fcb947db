import type { Tip } from "../api/schema.generated";
import { FRESH, setTip, useDesk } from "../state/desk";
import type { Project } from "../state/project";
import { setUnit } from "../state/radius";
import { useColoredTip } from "../state/tips";
import { percent } from "../ui/numbers";
import { Segmented } from "../ui/segmented";
import { Slider } from "../ui/slider";
import { CardHeading } from "./card_heading";
import { CurveEditor } from "./curve_editor";
import { MODES } from "./modes";
import { Head } from "./node_card_head";
import { TipPictures } from "./tip_pictures";
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
  { what: "radius", hint: "Pressing harder paints wider" },
  { what: "strength", hint: "Pressing harder covers more" },
  { what: "hardness", hint: "Pressing harder makes the rim harder" },
] as const;

const RESTING_LIMIT = FRESH.tip.facing_limit ?? 120;
/** Everything about the tip that is not needed all the time, beside the stage until it is closed. */
export function TipCard({ project }: { project: Project }) {
  return (
    <section aria-label="Tip settings" className="card flex h-full flex-col">
      <CardHeading title="Tip settings" closes="Close the tip settings" />
      <div tabIndex={0} className="min-h-0 grow basis-0 overflow-x-hidden overflow-y-auto px-3.5 pb-3 [scrollbar-width:thin]">
        <Blending />
        <Falloffs />
        <TipPictures project={project} />
        <PathSettings />
        <Jitter />
        <Pressure />
      </div>
    </section>
  );
}

function Falloffs() {
  const tip = useDesk((desk) => desk.tip);
  return (
    <>
      <Head>Falloff</Head>
      <div className="-ml-1">
        <Segmented
          label="Falloff" wraps
          options={FALLOFFS}
          value={tip.falloff}
          onChange={(falloff) => setTip({ falloff, curve: tip.curve ?? [[0, 1], [0.5, 0.5], [1, 0]] })}
        />
      </div>
      {tip.falloff === "curve" && <CurveEditor points={(tip.curve ?? []) as [number, number][]} onChange={(curve) => setTip({ curve })} label="Falloff curve, from the hard middle to the rim" />}
    </>
  );
}

function Blending() {
  const tip = useDesk((desk) => desk.tip);
  const eraseAll = useDesk((desk) => desk.eraseAll);
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
      </div>
      {hint && <p className="mt-1 text-care">{hint}</p>}
      <div className="mt-1.5 flex gap-1.5">
        <Toggle text="Builds up" on={tip.build_up} onChange={(build_up) => setTip({ build_up })} what="Dabs of one stroke add up, also while resting, instead of stopping at the strength" />
        <Toggle text="Covered too" on={tip.covered_too} onChange={(covered_too) => setTip({ covered_too })} what="Also paint what another part hides from the eye" />
      </div>
      <div className="mt-1.5 flex gap-1.5">
        <Toggle text="Erase every map" on={eraseAll} onChange={(all) => useDesk.setState({ eraseAll: all })} what="Erasing takes what every map holds, not only the maps that the pigment paints" />
      </div>
      <Head>Radius measured in</Head>
      <div className="flex gap-1.5">
        <Toggle text="Screen px" on={tip.unit === "px"} onChange={() => setUnit("px")} what="The radius is measured on the screen" />
        <Toggle text="Model units" on={tip.unit === "world"} onChange={() => setUnit("world")} what="The radius is measured on the model" />
      </div>
      <Slider label="Edges" value={tip.facing_limit ?? RESTING_LIMIT} min={45} max={180} show={(v) => `${Math.round(v)}°`} onChange={(limit) => setTip({ facing_limit: Math.round(limit) })} title="How far around edges a stroke reaches: up to faces turned away by this angle; 180° takes the back of a plate as well" />
    </>
  );
}

function Jitter() {
  const tip = useDesk((desk) => desk.tip);
  const colored = useColoredTip() && !tip.tint;
  return (
    <>
      <Head>Jitter</Head>
      <Slider label="Place" value={tip.jitter_place} min={0} max={2} show={percent} onChange={(jitter_place) => setTip({ jitter_place })} />
      <Slider label="Size" value={tip.jitter_radius} min={0} max={1} show={percent} onChange={(jitter_radius) => setTip({ jitter_radius })} />
      <Slider label="Angle" value={tip.jitter_angle} min={0} max={1} show={percent} onChange={(jitter_angle) => setTip({ jitter_angle })} />
      <Slider label="Tone" value={tip.jitter_color} min={0} max={1} show={percent} onChange={(jitter_color) => setTip({ jitter_color })} disabled={colored} title={colored ? "The picture has colors of its own" : undefined} />
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
      <Head>With a pen’s pressure: growth</Head>
      {PRESSURES.map(({ what, hint }) => {
        const curve = tip[`pressure_${what}_curve`];
        return (
          <Slider
            key={what} label={`of ${what}`} value={Math.log2(curve?.gamma ?? 1)} min={-2} max={2} disabled={!tip[`pressure_${what}`]}
            show={(v) => (2 ** v).toFixed(1)} read={Math.log2} title={`${hint}; above 1 light touches count less. The range stands on the ${what} itself, in the tray`}
            onChange={(v) => setTip({ [`pressure_${what}_curve`]: { ...curve, gamma: 2 ** v } })}
          />
        );
      })}
    </>
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
