import type { Adjustment } from "../api/schema.generated";
import { useLaid } from "../state/laid";
import type { Project } from "../state/project";
import { Segmented } from "../ui/segmented";
import { CurveEditor } from "./curve_editor";
import { two } from "./figures";
import { LaidPair } from "./laid_pair";
import { LaidSlider } from "./laid_slider";

const EFFECTS: { value: NonNullable<Adjustment["effect"]>; text: string; hint: string }[] = [
  { value: "levels", text: "Levels", hint: "Stretch from black to white" },
  { value: "curve", text: "Curve", hint: "Draw what each tone becomes" },
  { value: "tone", text: "Tone", hint: "Hue, saturation, lightness" },
  { value: "gray", text: "Gray to value", hint: "Shine, height or metal from how light the color is" },
  { value: "invert", text: "Invert", hint: "Dark becomes light" },
  { value: "blur", text: "Blur", hint: "Soften, over seams too" },
  { value: "sharpen", text: "Sharpen", hint: "Set details off" },
  { value: "distort", text: "Distort", hint: "Move it about in waves" },
];

const texels = (value: number) => `${value < 10 ? value.toFixed(1) : Math.round(value)} px`;
const share = (value: number) => `${(100 * value).toFixed(1)}%`;

/** The numbers of an adjustment; what lies below in its stack follows while they move. */
export function AdjustmentSettings({ node, project }: { node: Adjustment; project: Project }) {
  const { id, effect = "levels", black = 0, white = 1, gamma = 1, low = 0, high = 1, hue = 0, saturation = 0, lightness = 0 } = node;
  const { radius = 4, strength = 1, amount = 0.02, grain = 0.1, seed = 0 } = node;
  const slide = (label: string, value: number, key: string, min: number, max: number, show = two, title?: string) => (
    <LaidSlider label={label} value={value} min={min} max={max} show={show} title={title} project={project} edit={(next) => ({ type: "change_node", node: id, [key]: next })} />
  );
  const [points, lay] = useLaid((node.points ?? [[0, 0], [1, 1]]) as [number, number][], project, (next) => ({ type: "change_node", node: id, points: next }));
  const named = EFFECTS.find(({ value }) => value === effect)?.text === node.name;
  const take = (next: typeof effect) => {
    // A name that nobody has chosen follows what it does.
    const name = named ? { name: EFFECTS.find(({ value }) => value === next)?.text } : {};
    project.send({ type: "change_node", node: id, effect: next, ...name });
  };
  const ranged = effect === "levels" || effect === "gray";
  return (
    <>
      <div className="-ml-1">
        <Segmented wraps label="Effect" options={EFFECTS} value={effect} onChange={take} />
      </div>
      {ranged && (
        <div className="mt-1">
          <LaidPair
            low={black} high={white} labels={["Black", "White"]} titles={["What is as dark becomes the lowest", "What is as light becomes the highest"]} show={two}
            project={project} edit={(black, white) => ({ type: "change_node", node: id, black, white })}
          />
          <LaidSlider
            label="Middle" value={Math.log2(gamma)} min={-3} max={3} show={(value) => two(2 ** value)} title="Above 1 middle tones are lifted" project={project}
            edit={(stops) => ({ type: "change_node", node: id, gamma: 2 ** stops })}
          />
          {slide("Lowest", low, "low", 0, 1, two, effect === "gray" ? "What black becomes; above Highest it is inverted" : undefined)}
          {slide("Highest", high, "high", 0, 1)}
          <button type="button" className="mt-1 h-7 w-full rounded-control bg-fog-2 hover:bg-fog-3" title="Black and white as nearly the darkest and the lightest below" onClick={() => project.send({ type: "find_levels", node: id })}>
            Find black and white
          </button>
        </div>
      )}
      {effect === "curve" && <CurveEditor points={points} onChange={(next) => lay(next)} label="What each tone becomes, dark to light" />}
      {effect === "tone" && (
        <div className="mt-1">
          {slide("Hue", hue, "hue", -180, 180, (value) => `${Math.round(value)}°`)}
          {slide("Satur.", saturation, "saturation", -1, 1)}
          {slide("Light", lightness, "lightness", -1, 1)}
        </div>
      )}
      {(effect === "blur" || effect === "sharpen") && (
        <div className="mt-1">
          <LaidSlider label="Radius" value={radius} min={0.3} max={64} fine show={texels} title="How far it looks, texels" project={project} edit={(next) => ({ type: "change_node", node: id, radius: next })} />
          {effect === "sharpen" && slide("Strength", strength, "strength", 0, 4)}
        </div>
      )}
      {effect === "distort" && (
        <div className="mt-1">
          <LaidSlider label="Amount" value={amount} max={0.25} fine show={share} title="How far it moves at most, of the model’s longest side" project={project} edit={(next) => ({ type: "change_node", node: id, amount: next })} />
          <LaidSlider label="Waves" value={grain} min={0.002} max={1} fine show={share} title="How long the waves are, of the model’s longest side" project={project} edit={(next) => ({ type: "change_node", node: id, grain: next })} />
          <button type="button" className="mt-1 h-7 w-full rounded-control bg-fog-2 hover:bg-fog-3" onClick={() => project.send({ type: "change_node", node: id, seed: (seed + 1) % 10000 })}>
            Other waves
          </button>
        </div>
      )}
      <p className="mt-2 text-ink-2">It changes what lies below it, in the maps that are ticked under Maps; inside a group only what lies there.</p>
    </>
  );
}
