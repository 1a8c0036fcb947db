import type { FromGray, Picture } from "../api/schema.generated";
import { applyStencil } from "../stage/stencil";
import type { Stage } from "../stage/stage";
import { useDesk } from "../state/desk";
import { sayBriefly } from "../state/notices";
import type { Project } from "../state/project";
import { useSession } from "../state/session";
import { LARGEST } from "../state/stencil_place";
import { centerStencil, isStencilled, moveStencil, paintThrough, setStencil, takeStencil, toggleStencil } from "../state/stencils";
import { stampWith } from "../state/tips";
import { NumberField } from "../ui/number_field";
import { Slider } from "../ui/slider";
import { CardHeading } from "./card_heading";
import { written } from "./figures";
import { Head } from "./node_card_head";
import { PictureAbout } from "./picture_about";
import { PictureGrid } from "./picture_grid";
import { InProportion, SizeFields, Undistort } from "./size_fields";
import { Toggle } from "./toggle";

/** Pictures that paint goes through, fixed to the screen while the model is turned below them. */
export function StencilCard({ project, stage }: { project: Project; stage: Stage }) {
  const stencil = useDesk((desk) => desk.stencil);
  const on = useDesk(isStencilled);
  const pictures = useSession((session) => session.state?.pictures) ?? [];
  const chosen = pictures.find(({ id }) => id === stencil.picture);
  const button = "h-8 grow rounded-control bg-fog-2 px-2 enabled:hover:bg-fog-3 disabled:opacity-50";
  return (
    <section aria-label="Stencil" className="card flex h-full flex-col">
      <CardHeading title="Stencil" closes="Close the stencil’s settings" />
      <div tabIndex={0} className="min-h-0 grow basis-0 overflow-x-hidden overflow-y-auto px-3.5 pb-3 [scrollbar-width:thin]">
        <PictureGrid project={project} purpose="stencils" chosen={stencil.on ? stencil.picture : null} onChoose={takeStencil} />
        {chosen && (
          <>
            <Uses picture={chosen} project={project} />
            <div className="mt-2.5 flex gap-1.5">
              <button type="button" className={button} disabled={!on} onClick={() => applyStencil(stage)} title="All of it at once, on what is seen">
                Lay it on whole
              </button>
              <button type="button" className={button} onClick={toggleStencil}>
                {on ? "Put away" : "Take it"}
              </button>
            </div>
            <Slider label="Seen" value={stencil.opacity} min={0} max={1} show={(value) => `${Math.round(value * 100)}%`} onChange={(opacity) => setStencil({ opacity })} title="How much the picture itself is seen while painting" />
            <label className="flex h-7 items-center gap-1.5" title="Not seen as long as the pointer is pressed">
              <input type="checkbox" className="size-4 accent-accent" checked={stencil.hides} onChange={(event) => setStencil({ hides: event.target.checked })} />
              not while painting
            </label>
            <Place picture={chosen} />
            <div className="flex flex-wrap gap-x-3 gap-y-1">
              <SizeFields size={stencil} show={Math.round} min={8} max={LARGEST} unit="px" onChange={setStencil} />
              <Middle />
              <NumberField label="Turn" value={Math.round(stencil.rotation * 10) / 10} min={-360} max={360} unit="°" onChange={(rotation) => setStencil({ rotation })} />
              <InProportion />
              <Undistort size={stencil} wanted={chosen.width / chosen.height} onChange={setStencil} />
            </div>
            <div className="mt-1 flex flex-wrap gap-1">
              <Toggle text="Mirrored" on={stencil.mirrored} onChange={(mirrored) => setStencil({ mirrored })} what="Left becomes right" />
              <Toggle text="Tinted" on={stencil.tint} onChange={(tint) => setStencil({ tint })} what="Its shape with the pigment’s color; gray pictures are tinted anyway" />
              <Toggle text="Through" on={stencil.through} onChange={(through) => setStencil({ through })} what="Covered and averted places take paint, too" />
            </div>
            {!stencil.through && <Slider label="Up to" value={stencil.limit} min={10} max={90} show={(value) => `${Math.round(value)}°`} onChange={(limit) => setStencil({ limit })} title="What is seen at a flatter angle than this takes no paint" />}
            <StencilMaps />
            <p className="mt-1.5 text-ink-2">It stays on the screen while the model is turned. Brush and eraser go through it; maps besides color take the pigment’s values in its shape.</p>
            <PictureAbout key={chosen.id} picture={chosen} project={project} />
          </>
        )}
      </div>
    </section>
  );
}

/** To where it is usually wanted, in one click. */
function Place({ picture }: { picture: Picture }) {
  const places = [
    { text: "Fit", what: "In the middle, as large as the view", act: () => centerStencil(picture, "whole") },
    { text: "1 : 1", what: "In the middle, a pixel of the picture for each of the screen", act: () => centerStencil(picture, "pixels") },
    { text: "Upright", what: "Not turned", act: () => setStencil({ rotation: 0 }) },
  ];
  return (
    <div className="mb-1 flex gap-1" role="group" aria-label="Where it is put">
      {places.map(({ text, what, act }) => (
        <button key={text} type="button" title={what} onClick={act} className="h-7 grow rounded-control bg-fog-2 px-1.5 hover:bg-fog-3">
          {text}
        </button>
      ))}
    </div>
  );
}

/** Where its middle lies, from the stage's. */
function Middle() {
  const { right, down } = useDesk((desk) => desk.stencil);
  const move = (place: { right?: number; down?: number }) => {
    if (!moveStencil(place)) sayBriefly("The stencil’s middle stays on the stage: it lies at the border now.");
  };
  return (
    <>
      <NumberField label="X" value={Math.round(right)} min={-LARGEST} max={LARGEST} unit="px" title="Of its middle, to the right of the stage's" onChange={(x) => move({ right: x })} />
      <NumberField label="Y" value={Math.round(down)} min={-LARGEST} max={LARGEST} unit="px" title="Of its middle, below the stage's" onChange={(y) => move({ down: y })} />
    </>
  );
}

/** How the picture is used: one choice, seen at once. */
function Uses({ picture, project }: { picture: Picture; project: Project }) {
  const desk = useDesk();
  const { surface, layers, stencil: { stamps } } = desk;
  const on = isStencilled(desk);
  const uses = [
    { text: "On the screen", what: "It stays where it is put, and paint goes through it", now: on && !stamps, act: () => paintThrough({ stamps: false }) },
    { text: "By clicks", what: "It goes with the pointer; each click lays it on whole", now: on && stamps, act: () => paintThrough({ stamps: true }) },
    { text: "With each dab", what: "It becomes the tip of the brush, and is stamped along strokes", now: false, act: () => void stampWith(project, picture) },
    {
      text: "All over", what: "It repeats over the surface in a wash of its own, which shows where its mask is painted", now: false,
      act: () => {
        setStencil({ on: false });
        if (surface) project.send({ type: "add_node", surface, kind: "wash", above: layers[surface] ?? null, images: { base_color: picture.id }, mask: 0 });
      },
    },
  ];
  return (
    <div className="mt-2.5 grid grid-cols-2 gap-1" role="group" aria-label="How it is used">
      {uses.map(({ text, what, now, act }) => (
        <button key={text} type="button" aria-pressed={now} title={what} onClick={act} className={`h-8 grow rounded-control px-1.5 ${now ? "bg-accent-soft" : "bg-fog-2 text-ink-2 hover:bg-fog-3"}`}>
          {text}
        </button>
      ))}
    </div>
  );
}

const MAPS = [
  { key: "roughness", label: "Rough", low: 0.2, high: 0.9 },
  { key: "metallic", label: "Metal", low: 0, high: 1 },
  { key: "height", label: "Bump", low: 0.5, high: 0.6 },
  { key: "opacity", label: "Solid", low: 0, high: 1 },
] as const;

/** Maps that follow the picture's gray: what its black and its white become. */
function StencilMaps() {
  const maps = useDesk((desk) => desk.stencil.maps);
  const set = (key: string, value: FromGray | null) => {
    const others = Object.fromEntries(Object.entries(maps).filter(([name]) => name !== key));
    setStencil({ maps: value ? { ...others, [key]: value } : others });
  };
  return (
    <>
      <Head>By its gray</Head>
      {MAPS.map(({ key, label, low, high }) => {
        const now = maps[key];
        const [black, white] = [now?.low ?? low, now?.high ?? high];
        return (
          <div key={key}>
            <label className="flex h-7 items-center gap-2" title="This map takes a value by the picture's gray, instead of the pigment's">
              <input type="checkbox" className="size-4 accent-accent" checked={!!now} onChange={(event) => set(key, event.target.checked ? { low, high, invert: false } : null)} />
              {label}
              {now && (
                <button type="button" aria-pressed={now.invert} title="Light and dark change places" onClick={() => set(key, { ...now, invert: !now.invert })} className={`ml-auto h-6 rounded-control px-2 ${now.invert ? "bg-accent-soft" : "bg-fog-2 text-ink-2 hover:bg-fog-3"}`}>
                  Inverted
                </button>
              )}
            </label>
            {now && (
              <>
                <Slider label="Black" value={black} min={0} max={1} {...written(key)} onChange={(value) => set(key, { ...now, low: value })} title={`What black becomes in ${label}`} />
                <Slider label="White" value={white} min={0} max={1} {...written(key)} onChange={(value) => set(key, { ...now, high: value })} title={`What white becomes in ${label}`} />
              </>
            )}
          </div>
        );
      })}
    </>
  );
}
