import { type PointerEvent, useEffect, useRef, useState } from "react";

import { readReference } from "../api/rest";
import { zoomOf } from "../stage/wheel";
import { setPigment, useDesk } from "../state/desk";
import { say } from "../state/session";

/** From pixels of the picture to pixels of the card. */
interface Place {
  x: number;
  y: number;
  zoom: number;
}

/** One picture: drag moves it, the wheel zooms, Ctrl and click (or the tool Sample) takes the stored color. */
export function ReferencePicture({ project, name }: { project: string; name: string }) {
  const box = useRef<HTMLCanvasElement>(null);
  const [picture, setPicture] = useState<ImageBitmap | null>(null);
  /** Where the painter has moved it; until then all of it is shown. */
  const [moved, setMoved] = useState<Place | null>(null);
  const [size, setSize] = useState({ width: 0, height: 0 });
  const sampling = useDesk((desk) => desk.tool === "sample");
  const grip = useRef<{ x: number; y: number } | null>(null);
  const place = moved ?? (picture && size.width ? whole(picture, size) : null);

  useEffect(() => {
    let current = true;
    // Numbers as stored: no color conversion on the way.
    readReference(project, name)
      .then((file) => createImageBitmap(file, { colorSpaceConversion: "none" }))
      .then((bitmap) => current && setPicture(bitmap))
      .catch((error: Error) => current && say(`${name} cannot be shown. ${error.message}`));
    return () => {
      current = false;
    };
  }, [project, name]);

  useEffect(() => {
    const canvas = box.current!;
    const watch = new ResizeObserver(() => setSize({ width: canvas.clientWidth, height: canvas.clientHeight }));
    watch.observe(canvas);
    return () => watch.disconnect();
  }, []);

  const zoomBy = (factor: number, x: number, y: number) => {
    if (!place) return;
    const zoom = Math.min(Math.max(place.zoom * factor, 0.02), 64);
    const share = zoom / place.zoom;
    setMoved({ zoom, x: x - (x - place.x) * share, y: y - (y - place.y) * share });
  };

  useEffect(() => {
    const canvas = box.current!;
    // React's own listener cannot keep the browser from zooming the page.
    const turned = (event: WheelEvent) => {
      event.preventDefault();
      zoomBy(1 / zoomOf(event), event.offsetX, event.offsetY);
    };
    canvas.addEventListener("wheel", turned, { passive: false });
    return () => canvas.removeEventListener("wheel", turned);
  });

  useEffect(() => {
    const context = box.current!.getContext("2d")!;
    const sharp = window.devicePixelRatio;
    box.current!.width = size.width * sharp;
    box.current!.height = size.height * sharp;
    if (!picture || !place) return;
    context.setTransform(sharp * place.zoom, 0, 0, sharp * place.zoom, sharp * place.x, sharp * place.y);
    context.imageSmoothingEnabled = place.zoom < 3;
    context.imageSmoothingQuality = "high";
    context.drawImage(picture, 0, 0);
  });

  const sample = (event: PointerEvent) => {
    if (!picture || !place) return;
    const x = Math.floor((event.nativeEvent.offsetX - place.x) / place.zoom);
    const y = Math.floor((event.nativeEvent.offsetY - place.y) / place.zoom);
    if (x < 0 || y < 0 || x >= picture.width || y >= picture.height) return;
    setPigment({ base_color: colorAt(picture, x, y) });
  };

  return (
    // The ground is not the canvas's own: where a browser composes without a graphics card, an opaque one cuts holes into the stage.
    <div className="min-h-0 w-full grow bg-fog-3">
      <canvas
        ref={box}
        role="img"
        aria-label={name}
        title="Ctrl and click takes a color; drag moves, the wheel zooms, a double click shows all"
        className={`block size-full touch-none ${sampling ? "cursor-crosshair" : "cursor-grab"}`}
        onPointerDown={(event) => {
          if (event.ctrlKey || (sampling && event.button === 0)) return sample(event);
          event.currentTarget.setPointerCapture(event.pointerId);
          grip.current = { x: event.clientX, y: event.clientY };
        }}
        onPointerMove={(event) => {
          const from = grip.current;
          if (!from) return;
          grip.current = { x: event.clientX, y: event.clientY };
          if (place) setMoved({ ...place, x: place.x + event.clientX - from.x, y: place.y + event.clientY - from.y });
        }}
        onPointerUp={() => (grip.current = null)}
        onPointerCancel={() => (grip.current = null)}
        onContextMenu={(event) => event.preventDefault()}
        onDoubleClick={() => setMoved(null)}
      />
    </div>
  );
}

function whole(picture: ImageBitmap, size: { width: number; height: number }): Place {
  const zoom = Math.min(size.width / picture.width, size.height / picture.height);
  return { zoom, x: (size.width - picture.width * zoom) / 2, y: (size.height - picture.height * zoom) / 2 };
}

/** The stored color of one pixel, #rrggbb. */
function colorAt(picture: ImageBitmap, x: number, y: number): string {
  const canvas = new OffscreenCanvas(1, 1);
  const context = canvas.getContext("2d")!;
  context.drawImage(picture, -x, -y);
  const [r, g, b] = context.getImageData(0, 0, 1, 1).data;
  return `#${[r, g, b].map((value) => value!.toString(16).padStart(2, "0")).join("")}`;
}
