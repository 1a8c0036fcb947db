import { type Desk, useDesk } from "../state/desk";
import { Part } from "../ui/part";
import type { Project } from "../state/project";
import { PickOptions } from "./pick_options";
import { Segmented } from "../ui/segmented";
import { Slider } from "../ui/slider";

const EXTENTS: { value: Desk["fillBy"]; text: string; hint: string }[] = [
  { value: "face", text: "Face", hint: "The polygon that is clicked" },
  { value: "island", text: "Island", hint: "Its whole UV island" },
  { value: "part", text: "Part", hint: "The whole part of the model" },
  { value: "surface", text: "Surface", hint: "All of the surface, gaps included" },
  { value: "picked", text: "Picked", hint: "The faces that are picked in Prepare, wherever the click is" },
  { value: "region", text: "Region", hint: "The region chosen as fence, wherever the click is" },
  { value: "color", text: "Color", hint: "Whatever shows nearly the color that is clicked" },
];

const WAYS: { value: "lay" | "away"; text: string; hint: string }[] = [
  { value: "lay", text: "Lay on", hint: "The pigment covers it" },
  { value: "away", text: "Take away", hint: "What the layer holds there goes, in the maps that the pigment paints" },
];

/** What fill, gradient and sample want to know. */
export function ClickToolOptions({ project }: { project: Project }) {
  const { tool, fillBy, fillAway, tolerance, softness, sampleLayer, maskTarget, maskValue } = useDesk();
  if (tool === "pick") return <PickOptions project={project} />;
  if (tool === "fill") {
    return (
      <Part title="Fill: click on model or map">
        <div className="mt-1 -ml-1 flex flex-col gap-1">
          <Segmented
            label="Fill how" options={WAYS} value={fillAway ? "away" : "lay"}
            onChange={(next) => useDesk.setState({ fillAway: next === "away" })}
          />
          <Segmented wraps label="Fill what" options={EXTENTS} value={fillBy} onChange={(next) => useDesk.setState({ fillBy: next })} />
        </div>
        {fillBy === "color" && (
          <>
            <Slider
              label="Tolerance" value={tolerance} min={0} max={0.5} fine show={(v) => `${(v * 100).toFixed(1)}%`}
              onChange={(next) => useDesk.setState({ tolerance: next })} title="How far a color may be off"
            />
            <Slider
              label="Softness" value={softness} min={0} max={0.5} fine show={(v) => `${(v * 100).toFixed(1)}%`}
              onChange={(next) => useDesk.setState({ softness: next })} title="How far beyond that it is covered less and less, so that no rim is left"
            />
          </>
        )}
        {fillBy !== "color" && (
          <p className="mt-1 text-ink-2">
            {maskTarget
              ? fillAway
                ? "The mask is there again as it began."
                : `The layer shows ${Math.round(maskValue * 100)}% there, with clean edges.`
              : fillAway
              ? "What the chosen layers hold there is taken away, in the maps that the pigment paints."
              : "The pigment covers it with clean edges, into the gaps between islands."}
          </p>
        )}
      </Part>
    );
  }
  if (tool === "gradient") {
    return (
      <Part title="Gradient: drag on the model">
        <p className="mt-1.5 text-ink-2">
          From the pigment at the press to the second load at the release, over all surfaces, each on its receiving layer, in
          every map that both loads paint.
        </p>
      </Part>
    );
  }
  return (
    <Part title="Sample: click on model or map">
      <label className="mt-1.5 flex h-7 items-center gap-1.5">
        <input
          type="checkbox" checked={sampleLayer} className="size-4 accent-accent"
          onChange={(event) => useDesk.setState({ sampleLayer: event.target.checked })}
        />
        Only the chosen layer
      </label>
      <p className="mt-1 text-ink-2">The stored numbers, not what light makes of them, for every map the pigment paints.</p>
    </Part>
  );
}
