import { IconCopy, IconTrash } from "@tabler/icons-react";

import { tooltip } from "../commands/commands";
import type { BindDecal, BodyFrame, Decal, MapFrame, Pigment, SurfaceFrame } from "../api/schema.generated";
import { type DecalChange, findDecal, type Frame, type FrameChange, useChosenDecal } from "../state/decals";
import type { Project } from "../state/project";
import { useSession } from "../state/session";
import { NumberField } from "../ui/number_field";
import { ColorField } from "./color_field";
import { BendFields, ShapeField } from "./decal_shape";
import { FAR, oneOf, short, shortIn } from "./figures";
import { BoxNumbers } from "./frame_numbers";
import { LaidSlider } from "./laid_slider";
import { Head } from "./node_card_head";
import { InProportion, SizeFields, Undistort } from "./size_fields";
import { Toggle } from "./toggle";

const AXES = ["X", "Y", "Z"];

/** Where the chosen decal lies, how it looks, and what it does to the other maps. decal: as it is kept. */
export function DecalNumbers({ decal, project }: { decal: Decal; project: Project }) {
  const edit = (part: DecalChange) => ({ type: "change_decal" as const, decal: decal.id, ...part });
  const set = (part: DecalChange) => project.send(edit(part));
  return (
    <>
      <FrameFields kept={decal} project={project} />
      <div className="mt-1.5 flex gap-1">
        <button type="button" title="The same once more, right where it lies" onClick={() => project.send({ type: "duplicate_decal", decal: decal.id })} className="flex h-7 grow items-center justify-center gap-1.5 rounded-control bg-fog-2 hover:bg-fog-3">
          <IconCopy size={15} stroke={1.7} />
          Duplicate
        </button>
        <button type="button" title={tooltip("deleteDecal")} onClick={() => project.send({ type: "remove_decals", decals: [decal.id] })} className="flex h-7 grow items-center justify-center gap-1.5 rounded-control bg-fog-2 hover:bg-fog-3">
          <IconTrash size={15} stroke={1.7} />
          Delete
        </button>
      </div>
      <Head>How it lies</Head>
      <LaidSlider label="Opacity" value={decal.opacity ?? 1} project={project} edit={(opacity) => edit({ opacity })} />
      <LaidSlider label="Soft sides" value={decal.soft ?? 0} project={project} edit={(soft) => edit({ soft })} title="How far it fades towards its sides" />
      {decal.frame.kind !== "map" && decal.frame.kind !== "body" && (
        <LaidSlider label="Up to" value={decal.limit ?? 80} min={1} max={180} show={(value) => `${Math.round(value)}°`} project={project} edit={(limit) => edit({ limit })} title="Faces that are turned away further than this take nothing; 180: all do" />
      )}
      <div className="mt-1 flex flex-wrap gap-1">
        <Toggle text="Mirrored" on={decal.mirrored ?? false} onChange={(mirrored) => set({ mirrored })} what="Left becomes right" />
        <Toggle text="Inverted" on={decal.inverted ?? false} onChange={(inverted) => set({ inverted })} what="It shows where its alpha does not" />
        <Toggle text="Colors" on={decal.colored ?? true} onChange={(colored) => set({ colored })} what="It lays colors; off: only its values and its relief" />
      </div>
      <div className="mt-1 flex gap-x-3" role="group" aria-label="Repeats">
        {["across", "down"].map((text, k) => (
          <NumberField key={text} label={`Times ${text}`} value={short(decal.repeat?.[k] ?? 1)} min={0.01} max={1000} onChange={(value) => set({ repeat: oneOf(2, k, value) })} />
        ))}
      </div>
      <RegionField decal={decal} set={set} bind={(by) => project.send({ type: "bind_decal", decal: decal.id, by })} />
      <Values pigment={decal.pigment ?? {}} project={project} edit={edit} />
      <Relief decal={decal} set={set} />
    </>
  );
}

/** Its frame's numbers, which follow while it is moved. */
function FrameFields({ kept, project }: { kept: Decal; project: Project }) {
  const decal = useChosenDecal() ?? kept;
  const frame = decal.frame as Frame;
  const picture = useSession((session) => session.state?.pictures.find(({ id }) => id === decal.picture));
  const [across, down] = decal.repeat ?? [1, 1];
  const wanted = picture ? (picture.width * across) / (picture.height * down) : null;
  const onChange = (part: FrameChange) => project.send({ type: "change_decal", decal: decal.id, frame: part });
  return (
    <>
      <Head>Its frame</Head>
      {frame.kind === "map" && <MapFields frame={frame} wanted={wanted} onChange={onChange} />}
      {frame.kind !== "map" && frame.kind !== "body" && <SurfaceFields frame={frame as SurfaceFrame} wanted={wanted} onChange={onChange} />}
      {frame.kind === "body" && <BodyFields frame={frame as BodyFrame} onChange={onChange} onFit={() => project.send({ type: "fit_decal", decal: decal.id })} />}
    </>
  );
}

interface Fields<F> {
  frame: F;
  onChange: (part: FrameChange) => void;
}

const LEAST = 1e-6;

function Turn({ frame, onChange }: Fields<SurfaceFrame | MapFrame>) {
  return <NumberField label="Turn" value={shortIn(frame.roll ?? 0, 360)} min={-3600} max={3600} unit="°" title="Degrees with the clock; 0 hangs upright" onChange={(roll) => onChange({ roll })} />;
}

/** wanted: width for each height of the picture as it is repeated. */
type Proportions = { wanted: number | null };

function MapFields({ frame, wanted, onChange }: Fields<MapFrame> & Proportions) {
  return (
    <>
      <div className="flex flex-wrap gap-x-3 gap-y-1">
        <SizeFields
          size={{ width: frame.width * 100, height: frame.height * 100 }} show={short} min={LEAST} max={FAR} unit="%" title="Of the map's longer side"
          onChange={(size) => onChange(Object.fromEntries(Object.entries(size).map(([side, percent]) => [side, percent / 100])))}
        />
        <Turn frame={frame} onChange={onChange} />
        <InProportion />
        {wanted && <Undistort size={frame} wanted={wanted} onChange={onChange} />}
      </div>
      <div className="flex items-center gap-1" role="group" aria-label="Middle">
        {["U", "V"].map((axis, k) => (
          <NumberField key={axis} label={axis} value={shortIn(frame.center[k]! * 100, 100)} min={-1000} max={1000} unit="%" onChange={(value) => onChange({ center: oneOf(2, k, value / 100) })} />
        ))}
      </div>
    </>
  );
}

function SurfaceFields({ frame, wanted, onChange }: Fields<SurfaceFrame> & Proportions) {
  return (
    <>
      <div className="flex flex-wrap gap-x-3 gap-y-1">
        <SizeFields size={frame} show={short} min={LEAST} max={FAR} title="In model units" onChange={onChange} />
        <Turn frame={frame} onChange={onChange} />
        <NumberField label="Deep" value={short(frame.depth)} min={LEAST} max={FAR} title="Half of it lies below the surface" onChange={(depth) => onChange({ depth, measured: false })} />
        <InProportion />
        {wanted && <Undistort size={frame} wanted={wanted} onChange={onChange} />}
      </div>
      <label className="flex h-7 items-center gap-1.5" title="As far as the surface bends below it, but not through to what lies behind">
        <input type="checkbox" className="size-4 accent-accent" checked={frame.measured ?? true} onChange={(event) => onChange({ measured: event.target.checked })} />
        as deep as the wall allows
      </label>
      <ShapeField shape={frame.shape ?? "planar"} onChange={onChange} />
      <BendFields frame={frame} onChange={onChange} />
      <div className="flex items-center gap-1" role="group" aria-label="Middle">
        {AXES.map((axis, k) => (
          <NumberField key={axis} label={axis} value={shortIn(frame.position[k]!, Math.max(frame.width, frame.height))} min={-FAR} max={FAR} onChange={(value) => onChange({ position: oneOf(3, k, value) })} />
        ))}
      </div>
    </>
  );
}

function BodyFields({ frame, onChange, onFit }: Fields<BodyFrame> & { onFit: () => void }) {
  return (
    <>
      <ShapeField shape={frame.shape ?? "box"} onChange={onChange} />
      <BoxNumbers frame={frame} onChange={onChange} />
      <button type="button" onClick={onFit} title="As small as it can be around the part, as it is turned" className="mt-1 h-7 w-full rounded-control bg-fog-2 hover:bg-fog-3">
        Fit the frame to the part
      </button>
    </>
  );
}

const BELOW: [BindDecal["by"], string][] = [["island", "its island"], ["patch", "its smooth patch"], ["part", "its part"], ["face", "its face"]];

function RegionField({ decal, set, bind }: { decal: Decal; set: (part: DecalChange) => void; bind: (by: BindDecal["by"]) => void }) {
  const choose = (choice: string) => {
    const below = BELOW.find(([by]) => choice === `below ${by}`);
    if (below) bind(below[0]);
    else set({ region: choice || null });
  };
  const regions = useSession((session) => session.state?.regions) ?? [];
  return (
    <label className="mt-1 flex h-7 items-center gap-2" title="A region of faces, or a shape in the map, that it is kept inside">
      <span className="shrink-0">Only in</span>
      <select aria-label="Only in the region" value={decal.region ?? ""} onChange={(event) => choose(event.target.value)} className="h-7 min-w-0 grow rounded-control bg-fog-2 px-2">
        <option value="">anywhere</option>
        {regions.map(({ id, name }) => (
          <option key={id} value={id}>{name}</option>
        ))}
        {decal.frame.kind !== "map" && (
          <optgroup label="What lies below its middle">
            {BELOW.map(([by, text]) => (
              <option key={by} value={`below ${by}`}>{text}</option>
            ))}
          </optgroup>
        )}
      </select>
    </label>
  );
}

const VALUES = [
  { key: "roughness", label: "Rough", rest: 0.4 },
  { key: "metallic", label: "Metal", rest: 0 },
] as const;

/** Its own roughness and metallic, and a color in place of the picture's. */
function Values({ pigment, project, edit }: { pigment: Pigment; project: Project; edit: (part: DecalChange) => { type: "change_decal"; decal: string } & DecalChange }) {
  const withValue = (key: keyof Pigment, value: string | number | null) => edit({ pigment: { [key]: value } });
  const box = (key: keyof Pigment, label: string, rest: string | number) => (
    <input type="checkbox" aria-label={`Own ${label.toLowerCase()}`} className="size-4 shrink-0 accent-accent" checked={pigment[key] != null} onChange={(event) => project.send(withValue(key, event.target.checked ? rest : null))} />
  );
  return (
    <>
      <Head>Of its own</Head>
      <div className="flex h-7 items-center gap-2" title="A color in place of the picture's; gray pictures without alpha are its shape then">
        {box("base_color", "color", "#1e2422")}
        <span className="w-[46px] shrink-0">Color</span>
        {pigment.base_color != null && <ColorField label="Color of the decal" color={pigment.base_color} onChange={(color) => project.send(withValue("base_color", color))} />}
      </div>
      {VALUES.map(({ key, label, rest }) => (
        <div key={key} className="flex h-7 items-center gap-2">
          {box(key, label, rest)}
          <div className="min-w-0 grow">
            {pigment[key] != null ? <LaidSlider label={label} value={pigment[key]} project={project} edit={(value) => withValue(key, value)} /> : <span>{label}</span>}
          </div>
        </div>
      ))}
    </>
  );
}

/** Raised or sunk, with softened edges, in model units. */
function Relief({ decal, set }: { decal: Decal; set: (part: DecalChange) => void }) {
  const { relief } = decal;
  const size = useSession((session) => session.modelSize);
  const depth = useSession((session) => findDecal(session.state, decal.id)?.surface.depth ?? 0);
  const rest = { height: short(size / 400), bevel: short(size / 1000) };
  return (
    <>
      <Head>Relief</Head>
      <label className="flex h-7 items-center gap-1.5" title="It stands on what lies below; its height and its bevel are lengths on the model">
        <input type="checkbox" className="size-4 accent-accent" checked={relief != null} onChange={(event) => set({ relief: event.target.checked ? rest : null })} />
        raised, or sunk with a height below 0
      </label>
      {relief && (
        <div className="flex flex-wrap gap-x-3">
          <NumberField label="Height" value={short(relief.height)} min={-FAR} max={FAR} onChange={(height) => set({ relief: { height } })} />
          <NumberField label="Bevel" value={short(relief.bevel ?? 0)} min={0} max={FAR} title="How softly its edge rises" onChange={(bevel) => set({ relief: { bevel } })} />
        </div>
      )}
      {relief && Math.abs(relief.height) > depth / 2 && (
        <p className="text-ink-2">The surface's relief goes {short(depth / 2)} up and down; beyond that it is cut off. It is made deeper under the lamp button.</p>
      )}
    </>
  );
}
