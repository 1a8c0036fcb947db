import { IconUpload } from "@tabler/icons-react";
import { useRef } from "react";

import { PICTURE_FILES } from "../api/files";
import type { MappingChange } from "../api/outgoing";
import type { Mapping, Picture, Wash } from "../api/schema.generated";
import type { DocumentState } from "../state/document";
import { takeDropped } from "../state/dropped";
import { useLaid } from "../state/laid";
import { imagesFor, type MapKey, pictureAt, takeIn } from "../state/pictures";
import type { Project } from "../state/project";
import { say, useSession } from "../state/session";
import { FileInput } from "../ui/file_input";
import { NumberField } from "../ui/number_field";
import { Segmented } from "../ui/segmented";
import { ColorField } from "./color_field";
import { written } from "./figures";
import { FrameNumbers } from "./frame_numbers";
import { LaidSlider } from "./laid_slider";
import { Head } from "./node_card_head";
import { Times } from "./picture_cutout";

const MAPS: { key: MapKey; label: string; rest: string | number }[] = [
  { key: "base_color", label: "Color", rest: "#8b8f8e" },
  { key: "roughness", label: "Rough", rest: 0.5 },
  { key: "metallic", label: "Metal", rest: 0 },
  { key: "height", label: "Bump", rest: 0.5 },
  { key: "opacity", label: "Solid", rest: 1 },
];

const SHAPES: { value: NonNullable<Mapping["shape"]>; text: string; hint: string }[] = [
  { value: "uv", text: "UV", hint: "As the UVs lie in the map" },
  { value: "planar", text: "Flat", hint: "Straight through the model, from the front" },
  { value: "cylindrical", text: "Cylinder", hint: "Around the model" },
  { value: "spherical", text: "Sphere", hint: "Around the model, up to the poles" },
  { value: "box", text: "Box", hint: "From six sides, each face from the one that it looks to" },
  { value: "triplanar", text: "Three ways", hint: "From six sides, softly from one to the next" },
  { value: "wrap", text: "One point", hint: "Wrapped around, gathered in one point behind" },
];
const WRAPS: { value: NonNullable<Mapping["wrap"]>; text: string; hint: string }[] = [
  { value: "repeat", text: "Repeat", hint: "The picture begins anew" },
  { value: "mirror", text: "Mirror", hint: "The picture goes back and forth" },
  { value: "clamp", text: "Stretch", hint: "Its rim goes on" },
  { value: "none", text: "Once", hint: "Beyond it there is nothing" },
];

/** A value or a picture for each map, and how pictures are laid. */
export function WashSettings({ wash, project }: { wash: Wash; project: Project }) {
  const images = wash.images ?? {};
  return (
    <>
      {MAPS.map(({ key, ...map }) => (
        <MapRow key={key} map={key} {...map} wash={wash} project={project} />
      ))}
      <AddPictures wash={wash} project={project} />
      {Object.keys(images).length > 0 && <Laying wash={wash} project={project} />}
    </>
  );
}

/** What a wash lays on one map: nothing, a value, or a picture of the project. */
function MapRow({ map, label, rest, wash, project }: { map: MapKey; label: string; rest: string | number; wash: Wash; project: Project }) {
  const pictures = useSession((session) => session.state?.pictures) ?? [];
  const pigment = wash.pigment ?? {};
  const images = wash.images ?? {};
  const value = pigment[map] ?? null;
  const image = images[map as keyof typeof images];
  const picture = pictures.find(({ id }) => id === image);
  const state = useSession((session) => session.state);
  const sources = paintedOn(state, map, pictures);
  const edit = (next: string | number | null) => ({ type: "change_node" as const, node: wash.id, pigment: { [map]: next } });
  const [shown, lay] = useLaid(value, project, edit);
  const choose = (choice: string) => {
    const painted = sources.find(({ value }) => value === choice);
    if (painted) project.send({ type: "use_painted", wash: wash.id, map, source: painted.node, source_map: painted.map });
    else if (choice === "" || choice === "value") {
      project.send({ type: "change_node", node: wash.id, images: { [map]: null }, pigment: { [map]: choice ? (value ?? rest) : null } });
    } else project.send({ type: "change_node", node: wash.id, images: { [map]: choice } });
  };
  return (
    <div className="mt-1">
      <div className="flex h-7 items-center gap-2">
        <span className="w-[46px] shrink-0">{label}</span>
        {picture && <img alt="" src={pictureAt(project.id, picture)} className="size-6 shrink-0 rounded-[5px] object-cover" />}
        <select aria-label={`${label} of ${wash.name}`} value={image ?? (value === null ? "" : "value")} onChange={(event) => choose(event.target.value)} className="h-7 min-w-0 grow rounded-control bg-fog-2 px-2">
          <option value="">left alone</option>
          <option value="value">a value</option>
          {pictures.map(({ id, name }) => (
            <option key={id} value={id}>{name}</option>
          ))}
          {sources.length > 0 && (
            <optgroup label="What is painted on">
              {sources.map(({ value, text }) => (
                <option key={value} value={value}>{text}</option>
              ))}
            </optgroup>
          )}
        </select>
      </div>
      {picture?.of && (
        <div className="pl-[54px]">
          <Times value={picture.cutout?.times ?? 1} picture={picture.id} project={project} />
        </div>
      )}
      {!image && typeof shown === "string" && (
        <div className="flex h-7 items-center pl-[54px]">
          <ColorField label={`Color of ${wash.name}`} color={shown} onChange={lay} />
        </div>
      )}
      {!image && typeof value === "number" && (
        <div className="pl-[54px]">
          <LaidSlider label="Value" value={value} project={project} {...written(map)} edit={edit} />
        </div>
      )}
    </div>
  );
}

/** Layers whose paint, or mask, a wash can lay: their own map of that kind, for values also their color. */
function paintedOn(state: DocumentState | null, map: MapKey, used: Picture[]): { value: string; text: string; node: string; map: MapKey | "mask" }[] {
  const maps: (MapKey | "mask")[] = map === "base_color" ? [map] : [map, "base_color", "mask"];
  const names = { base_color: "color", roughness: "rough", metallic: "metal", height: "bump", opacity: "solid", mask: "mask" };
  return (state?.surfaces ?? []).flatMap((surface) =>
    surface.layers.flatMap((layer) =>
      maps
        .filter((one) => (one === "mask" ? layer.mask : layer.kind === "brushed"))
        .filter((one) => !used.some(({ of }) => of?.node === layer.id && of.map === one))
        .map((one) => ({ value: `${layer.id}/${one}`, text: `${layer.name} of ${surface.name}, ${names[one]}`, node: layer.id, map: one })),
    ),
  );
}

/** Pictures from files; the first ones go to the maps that their roles say. */
function AddPictures({ wash, project }: { wash: Wash; project: Project }) {
  const input = useRef<HTMLInputElement>(null);
  const take = async (files: File[]) => {
    if (!files.length) return;
    try {
      const images = imagesFor(await takeIn(project.id, files), wash.images as Record<string, string>);
      project.send({ type: "change_node", node: wash.id, images });
    } catch (error) {
      say((error as Error).message);
    }
  };
  return (
    <div
      className="mt-2"
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        event.stopPropagation();
        takeDropped(event.dataTransfer, take);
      }}
    >
      <FileInput ref={input} label="Pictures for the wash" accept={PICTURE_FILES} onFiles={(files) => void take(files)} />
      <button type="button" onClick={() => input.current?.click()} className="flex h-8 w-full items-center justify-center gap-1.5 rounded-control bg-fog-2 hover:bg-fog-3">
        <IconUpload size={15} stroke={1.7} />
        Pictures from files, or drop them here
      </button>
    </div>
  );
}

/** How pictures are laid over the surface. */
function Laying({ wash, project }: { wash: Wash; project: Project }) {
  const mapping: Mapping = { ...wash.mapping } as Mapping;
  const { shape = "uv", wrap = "repeat", turn = 0, sharpness = 4 } = mapping;
  const [across = 1, down = 1] = mapping.repeat ?? [1, 1];
  const [right = 0, below = 0] = mapping.offset ?? [0, 0];
  const edit = (part: MappingChange) => ({ type: "change_node" as const, node: wash.id, mapping: part });
  return (
    <>
      <Head>Pictures are laid</Head>
      <div className="-ml-1">
        <Segmented wraps label="Shape" options={SHAPES} value={shape} onChange={(next) => project.send(edit({ shape: next }))} />
      </div>
      <LaidSlider label="Repeat" value={across} min={0.1} max={40} fine show={(value) => `${value.toFixed(value < 10 ? 2 : 1)}×`} project={project} edit={(value) => edit({ repeat: [value, (value * down) / across] })} title="How often, across and down alike" />
      <div className="flex gap-2">
        <NumberField label="Across" value={Number(across.toFixed(3))} min={0.01} max={10000} onChange={(value) => project.send(edit({ repeat: [value, null] }))} />
        <NumberField label="Down" value={Number(down.toFixed(3))} min={0.01} max={10000} onChange={(value) => project.send(edit({ repeat: [null, value] }))} />
      </div>
      <LaidSlider label="Turn" value={turn} min={-180} max={180} show={(value) => `${Math.round(value)}°`} project={project} edit={(value) => edit({ turn: value })} />
      <LaidSlider label="Right" value={right} min={-1} max={1} show={(value) => value.toFixed(2)} project={project} edit={(value) => edit({ offset: [value, null] })} />
      <LaidSlider label="Down" value={below} min={-1} max={1} show={(value) => value.toFixed(2)} project={project} edit={(value) => edit({ offset: [null, value] })} />
      {shape === "triplanar" && <LaidSlider label="Sharp" value={sharpness} min={1} max={16} show={(value) => value.toFixed(1)} project={project} edit={(value) => edit({ sharpness: value })} title="How fast one side gives way to the next" />}
      {shape !== "uv" && <FrameNumbers wash={wash.id} mapping={mapping} onChange={(frame) => project.send(edit({ frame }))} onFit={() => project.send({ type: "fit_frame", node: wash.id })} />}
      <Head>Beyond its edges</Head>
      <div className="-ml-1">
        <Segmented wraps label="Beyond its edges" options={WRAPS} value={wrap} onChange={(next) => project.send(edit({ wrap: next }))} />
      </div>
    </>
  );
}
