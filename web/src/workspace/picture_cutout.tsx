import { type MouseEvent, useState } from "react";

import type { PictureCut } from "../api/outgoing";
import type { Cutout, Picture } from "../api/schema.generated";
import { pictureAt } from "../state/pictures";
import type { Project } from "../state/project";
import { useSession } from "../state/session";
import { NumberField } from "../ui/number_field";
import { ColorField } from "./color_field";
import { oneOf } from "./figures";
import { LaidSlider } from "./laid_slider";
import { Head } from "./node_card_head";
import { Toggle } from "./toggle";

const SIDES = ["Left", "Top", "Right", "Bottom"];
const REST: Required<Cutout> = { crop: [0, 0, 1, 1], alpha: null, key: null, tolerance: 0.08, softness: 0.1, despill: true, soften: 0, inverted: false, times: 1 };

/** What is sent: the picture of the alpha is meant by its id. */
type Part = Omit<PictureCut, "type" | "picture">;

/** What is cut out of a picture before it is used, wherever that is: a part, without its background, with another alpha. */
export function PictureCutout({ picture, project }: { picture: Picture; project: Project }) {
  const pictures = useSession((session) => session.state?.pictures) ?? [];
  const [{ ownAlpha, background }, setLook] = useState<FileLook>({ ownAlpha: false, background: "#ffffff" });
  const cutout = { ...REST, ...picture.cutout };
  const edit = (part: Part) => ({ type: "cut_picture" as const, picture: picture.id, ...part });
  const set = (part: Part) => project.send(edit(part));
  const alpha = pictures.find(({ file }) => file === cutout.alpha);
  return (
    <>
      <Head>Cut out of it</Head>
      <Whole src={pictureAt(project.id, picture, "file")} crop={cutout.crop as [number, number, number, number]} onPick={(key) => set({ key })} onLook={setLook} />
      <div className="mt-1 flex flex-wrap gap-x-3" role="group" aria-label="The part that is used">
        {SIDES.map((side, k) => (
          <NumberField key={side} label={side} value={percent(cutout.crop[k]!)} {...between(cutout.crop as number[], k)} unit="%" onChange={(value) => set({ crop: oneOf(4, k, value / 100) })} />
        ))}
      </div>
      <div className="mt-1 flex h-7 items-center gap-2" title="A plain background becomes transparent: click on it in the picture above">
        <input type="checkbox" aria-label="Without its background" className="size-4 shrink-0 accent-accent" checked={cutout.key != null} onChange={(event) => set({ key: event.target.checked ? background : null })} />
        <span className="shrink-0">{cutout.key == null ? "Without its background" : "Without"}</span>
        {cutout.key != null && <ColorField label="Background" color={cutout.key} onChange={(key) => set({ key })} />}
      </div>
      {cutout.key != null && (
        <>
          <LaidSlider label="Near to it" value={cutout.tolerance} fine project={project} edit={(tolerance) => edit({ tolerance })} title="Colors as near as this are taken away, too" />
          <LaidSlider label="Softly" value={cutout.softness} fine project={project} edit={(softness) => edit({ softness })} title="Over which farther colors it fades" />
        </>
      )}
      <label className="flex h-7 items-center gap-2" title="The gray of another picture says where this one is opaque">
        <span className="shrink-0">Alpha</span>
        <select aria-label="Alpha from" value={alpha?.id ?? ""} onChange={(event) => set({ alpha: event.target.value || null })} className="h-7 min-w-0 grow rounded-control bg-fog-2 px-2">
          <option value="">its own</option>
          {pictures.filter(({ id, of }) => id !== picture.id && !of).map(({ id, name }) => (
            <option key={id} value={id}>gray of {name}</option>
          ))}
        </select>
      </label>
      {alpha && ownAlpha && <p className="text-ink-2">It has an alpha of its own, too; the gray of {alpha.name} takes its place.</p>}
      <LaidSlider label="Blurred" value={cutout.soften} min={0} max={60} fine show={(value) => `${value.toFixed(value < 10 ? 1 : 0)} px`} project={project} edit={(soften) => edit({ soften })} title="How softly its alpha ends" />
      <Times value={cutout.times} picture={picture.id} project={project} />
      <div className="mt-1 flex gap-1">
        {cutout.key != null && <Toggle text="Rim cleaned" on={cutout.despill} onChange={(despill) => set({ despill })} what="The background's color is taken out of the rim" />}
        <Toggle text="Alpha inverted" on={cutout.inverted} onChange={(inverted) => set({ inverted })} what="Opaque where it was not" />
      </div>
    </>
  );
}

const percent = (share: number) => Math.round(share * 1000) / 10;

/** How far a side can go, in percent: something is left between it and the one across. */
function between(crop: number[], side: number): { min: number; max: number } {
  const across = crop[(side + 2) % 4]!;
  return side < 2 ? { min: 0, max: percent(across - 0.001) } : { min: percent(across + 0.001), max: 100 };
}

/** What colors and values of a picture are multiplied by. */
export function Times({ value, picture, project }: { value: number; picture: string; project: Project }) {
  return <LaidSlider label="Times" value={value} min={0} max={4} fine show={(times) => times.toFixed(2)} project={project} edit={(times) => ({ type: "cut_picture", picture, times })} title="What its colors and values are multiplied by" />;
}

/** What the pixels of the file tell: whether some are transparent, and the color that most of its border has. */
interface FileLook {
  ownAlpha: boolean;
  background: string;
}

interface WholeProps {
  src: string;
  crop: [number, number, number, number];
  onPick: (color: string) => void;
  onLook: (look: FileLook) => void;
}

/** The picture as its file has it, what is cropped away dimmed; a click takes the color there. */
function Whole({ src, crop, onPick, onLook }: WholeProps) {
  const [left, top, right, bottom] = crop.map((share) => `${share * 100}%`) as [string, string, string, string];
  const pick = (event: MouseEvent<HTMLImageElement>) => {
    const image = event.currentTarget;
    const box = image.getBoundingClientRect();
    const pixels = pixelsOf(image);
    const x = Math.min(Math.floor(((event.clientX - box.x) / box.width) * pixels.width), pixels.width - 1);
    const y = Math.min(Math.floor(((event.clientY - box.y) / box.height) * pixels.height), pixels.height - 1);
    onPick(colorAt(pixels, x, y));
  };
  return (
    <div className="grid place-items-center rounded-control bg-fog-2 p-1.5">
      <div className="relative overflow-hidden">
        <img
          alt="The whole picture: a click takes its background away" title="Click on the background to take it away" src={src} onClick={pick}
          onLoad={({ currentTarget }) => onLook(lookOf(pixelsOf(currentTarget)))}
          className="block max-h-[120px] max-w-full cursor-crosshair bg-[repeating-conic-gradient(#b9bfbd_0_25%,#d7dbda_0_50%)] bg-[length:10px_10px]"
        />
        <div className="pointer-events-none absolute outline-[400px] outline-ink/55" style={{ left, top, width: `calc(${right} - ${left})`, height: `calc(${bottom} - ${top})` }} />
      </div>
    </div>
  );
}

function lookOf(pixels: ImageData): FileLook {
  const { width, height, data } = pixels;
  const counts = new Map<string, number>();
  const count = (x: number, y: number) => {
    const color = colorAt(pixels, x, y);
    counts.set(color, (counts.get(color) ?? 0) + 1);
  };
  for (let x = 0; x < width; x++) [0, height - 1].forEach((y) => count(x, y));
  for (let y = 0; y < height; y++) [0, width - 1].forEach((x) => count(x, y));
  const [background] = [...counts].reduce((most, next) => (next[1] > most[1] ? next : most));
  return { ownAlpha: data.some((value, i) => i % 4 === 3 && value < 255), background };
}

function colorAt({ data, width }: ImageData, x: number, y: number): string {
  const at = 4 * (y * width + x);
  return `#${[0, 1, 2].map((k) => (data[at + k] ?? 0).toString(16).padStart(2, "0")).join("")}`;
}

function pixelsOf(image: HTMLImageElement): ImageData {
  const canvas = document.createElement("canvas");
  [canvas.width, canvas.height] = [image.naturalWidth, image.naturalHeight];
  const context = canvas.getContext("2d")!;
  context.drawImage(image, 0, 0);
  return context.getImageData(0, 0, canvas.width, canvas.height);
}
