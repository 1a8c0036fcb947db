import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { type PointerEvent, useEffect, useRef, useState } from "react";

import { tryStroke } from "../api/rest";
import { useDesk } from "../state/desk";
import type { Project } from "../state/project";
import { TipPicture } from "./tip_picture";

const WIDTH = 400;
const HEIGHT = 150;
/** Drawn until the painter draws: a wave with a swelling pressure. */
const WAVE: [number, number, number][] = Array.from({ length: 40 }, (_, i) => [
  40 + i * 8.2, HEIGHT / 2 + 26 * Math.sin(i / 6), Math.sin((Math.PI * (i + 1)) / 41),
]); // prettier-ignore

/** The tip's picture; behind it a sheet to try a stroke on, which leaves no trace. */
export function ScratchArea({ project }: { project: Project }) {
  const tip = useDesk((desk) => desk.tip);
  return (
    <Popover className="relative">
      <PopoverButton title="Try a stroke on a scratch sheet" aria-label="Scratch sheet" className="block rounded-control">
        <TipPicture tip={tip} project={project} />
      </PopoverButton>
      <PopoverPanel role="region" aria-label="Trial strokes" anchor="top start" className="card z-20 p-3 shadow-lg [--anchor-gap:8px]">
        <p className="mb-2 text-ink-2">Try it here: nothing of this is kept.</p>
        <Sheet />
      </PopoverPanel>
    </Popover>
  );
}

function Sheet() {
  const tip = useDesk((desk) => desk.tip);
  const color = useDesk((desk) => desk.pigment.base_color);
  const [samples, setSamples] = useState(WAVE);
  const [picture, setPicture] = useState<string | null>(null);
  const drawing = useRef(false);
  useEffect(() => {
    let current = true;
    const timer = setTimeout(() => {
      tryStroke({ tip, pigment: { base_color: color ?? "#1e2422", roughness: null, metallic: null, height: null, opacity: null }, samples, width: WIDTH, height: HEIGHT, seed: 7 })
        .then((blob) => current && setPicture(URL.createObjectURL(blob)))
        .catch(() => undefined);
    }, 40);
    return () => {
      current = false;
      clearTimeout(timer);
    };
  }, [tip, color, samples]);
  useEffect(() => () => void (picture && URL.revokeObjectURL(picture)), [picture]);
  const at = (event: PointerEvent): [number, number, number] => {
    const box = event.currentTarget.getBoundingClientRect();
    return [event.clientX - box.x, event.clientY - box.y, event.pointerType === "pen" ? event.pressure : 1];
  };
  return (
    <img
      src={picture ?? undefined}
      alt="A stroke with this tip"
      width={WIDTH}
      height={HEIGHT}
      draggable={false}
      data-testid="scratch"
      className="touch-none rounded-control bg-[#cfd2d0]"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        drawing.current = true;
        setSamples([at(event)]);
      }}
      onPointerMove={(event) => drawing.current && setSamples((before) => [...before, at(event)].slice(-4000))}
      onPointerUp={() => (drawing.current = false)}
    />
  );
}
