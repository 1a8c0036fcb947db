import type { Stage } from "../stage/stage";
import { setStencil, takeStencil, useDesk } from "../state/desk";
import type { Project } from "../state/project";
import { useSession } from "../state/session";
import { NumberField } from "../ui/number_field";
import { Slider } from "../ui/slider";
import { CardHeading } from "./card_heading";
import { PictureAbout } from "./picture_about";
import { PictureGrid } from "./picture_grid";
import { Toggle } from "./toggle";

/** Pictures that paint goes through, fixed to the screen while the model is turned below them. */
export function StencilCard({ project, stage }: { project: Project; stage: Stage }) {
  const stencil = useDesk((desk) => desk.stencil);
  const pictures = useSession((session) => session.state?.pictures) ?? [];
  const chosen = pictures.find(({ id }) => id === stencil.picture);
  const button = "h-8 grow rounded-control bg-fog-2 px-2 enabled:hover:bg-fog-3 disabled:opacity-50";
  return (
    <section aria-label="Stencil" className="card flex h-full flex-col">
      <CardHeading title="Stencil" closes="Close the stencil’s settings" />
      <div tabIndex={0} className="min-h-0 grow overflow-x-hidden overflow-y-auto px-3.5 pb-3 [scrollbar-width:thin]">
        <PictureGrid project={project} purpose="stencils" chosen={stencil.on ? stencil.picture : null} onChoose={takeStencil} />
        {chosen && (
          <>
            <div className="mt-2.5 flex gap-1.5">
              <button type="button" className={button} disabled={!stencil.on} onClick={() => stage.applyStencil()} title="All of it at once, on what is seen">
                Lay it on whole
              </button>
              <button type="button" className={button} onClick={() => setStencil({ on: !stencil.on })}>
                {stencil.on ? "Put away" : "Take it"}
              </button>
            </div>
            <Slider label="Seen" value={stencil.opacity} min={0} max={1} show={(value) => `${Math.round(value * 100)}%`} onChange={(opacity) => setStencil({ opacity })} title="How much the picture itself is seen while painting" />
            <div className="flex flex-wrap gap-x-3">
              <NumberField label="Wide" value={Math.round(stencil.width)} min={8} max={20000} unit="px" onChange={(width) => setStencil({ width })} />
              <NumberField label="High" value={Math.round(stencil.height)} min={8} max={20000} unit="px" onChange={(height) => setStencil({ height })} />
              <NumberField label="Turn" value={Math.round(stencil.rotation * 10) / 10} min={-360} max={360} unit="°" onChange={(rotation) => setStencil({ rotation })} />
            </div>
            <div className="mt-1 flex flex-wrap gap-1">
              <Toggle text="Mirrored" on={stencil.mirrored} onChange={(mirrored) => setStencil({ mirrored })} what="Left becomes right" />
              <Toggle text="Tinted" on={stencil.tint} onChange={(tint) => setStencil({ tint })} what="Its shape with the pigment’s color; gray pictures are tinted anyway" />
              <Toggle text="Through" on={stencil.through} onChange={(through) => setStencil({ through })} what="Covered and averted places take paint, too" />
            </div>
            <p className="mt-1.5 text-ink-2">It stays on the screen while the model is turned. The brush paints through it; maps besides color take the pigment’s values in its shape.</p>
            <PictureAbout key={chosen.id} picture={chosen} project={project} />
          </>
        )}
      </div>
    </section>
  );
}
