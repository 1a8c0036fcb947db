import { IconUpload } from "@tabler/icons-react";
import { useRef } from "react";

import { takePictures } from "../api/rest";
import type { Stage } from "../stage/stage";
import { setStencil, takeStencil, useDesk } from "../state/desk";
import type { Project } from "../state/project";
import { say, useSession } from "../state/session";
import { NumberField } from "../ui/number_field";
import { Slider } from "../ui/slider";
import { CardHeading } from "./card_heading";
import { PictureAbout } from "./picture_about";
import { Toggle } from "./toggle";

/** Pictures that paint goes through, fixed to the screen while the model is turned below them. */
export function StencilCard({ project, stage }: { project: Project; stage: Stage }) {
  const stencil = useDesk((desk) => desk.stencil);
  const pictures = useSession((session) => session.state?.pictures) ?? [];
  const input = useRef<HTMLInputElement>(null);
  const chosen = pictures.find(({ id }) => id === stencil.picture);
  const take = async (files: File[]) => {
    try {
      const ids = await takePictures(project.id, files);
      const fresh = useSession.getState().state?.pictures.find(({ id }) => id === ids[0]);
      if (fresh) takeStencil(fresh);
    } catch (error) {
      say((error as Error).message);
    }
  };
  const button = "h-8 grow rounded-control bg-fog-2 px-2 enabled:hover:bg-fog-3 disabled:opacity-50";
  return (
    <section aria-label="Stencil" className="card flex h-full flex-col">
      <CardHeading title="Stencil" closes="Close the stencil’s settings" />
      <div
        tabIndex={0}
        className="min-h-0 grow overflow-x-hidden overflow-y-auto px-3.5 pb-3 [scrollbar-width:thin]"
        onDragOver={(event) => event.preventDefault()}
        onDrop={(event) => {
          event.preventDefault();
          event.stopPropagation();
          void take([...event.dataTransfer.files]);
        }}
      >
        <input ref={input} type="file" accept="image/*" multiple hidden aria-label="Pictures for stencils" onChange={(event) => void take([...(event.target.files ?? [])])} />
        <button type="button" onClick={() => input.current?.click()} className="flex h-8 w-full items-center justify-center gap-1.5 rounded-control bg-fog-2 hover:bg-fog-3">
          <IconUpload size={15} stroke={1.7} />
          Pictures from files, or drop them here
        </button>
        <ul aria-label="Pictures of the project" className="mt-2 grid grid-cols-4 gap-1.5">
          {pictures.map((picture) => (
            <li key={picture.id}>
              <button
                type="button" title={`${picture.name}, ${picture.width} × ${picture.height}`} aria-label={picture.name} aria-pressed={picture.id === stencil.picture && stencil.on}
                onClick={() => takeStencil(picture)}
                className={`block aspect-square w-full overflow-hidden rounded-[6px] ${picture.id === stencil.picture && stencil.on ? "outline-2 outline-accent" : "hover:outline-2 hover:outline-fog-4"}`}
              >
                <img alt="" src={`/api/projects/${project.id}/library/${picture.id}/thumbnail`} className="size-full bg-[repeating-conic-gradient(#b9bfbd_0_25%,#d7dbda_0_50%)] bg-[length:10px_10px] object-contain" />
              </button>
            </li>
          ))}
        </ul>
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
        {!pictures.length && <p className="mt-2 text-ink-2">No pictures yet. PNG with transparency, photos, gray masks: all will do.</p>}
      </div>
    </section>
  );
}
