import { IconPlus } from "@tabler/icons-react";

import type { Pigment } from "../api/schema.generated";
import { setPigment, useDesk } from "../state/desk";
import { Part } from "../ui/part";

/** Colors and whole pigments kept with the project, and the colors used lately. */
export function PalettePart() {
  const { palette, pigments, recent, pigment } = useDesk();
  const color = pigment.base_color;
  const add = () => {
    if (color && !palette.includes(color)) useDesk.setState({ palette: [...palette, color].slice(-24) });
  };
  const keep = () => {
    const name = prompt("Name of the pigment, with all its values:")?.trim().slice(0, 40);
    if (name) useDesk.setState({ pigments: [...pigments.filter((other) => other.name !== name), { name, pigment }] });
  };
  const swatch = (value: string, label: string, remove?: () => void) => (
    <button
      key={`${label} ${value}`}
      type="button"
      title={remove ? `${value}; right click removes it` : `${value}, used lately`}
      aria-label={label}
      aria-pressed={value === color}
      onClick={() => setPigment({ base_color: value })}
      onContextMenu={(event) => {
        event.preventDefault();
        remove?.();
      }}
      style={{ background: value }}
      className={`size-6 rounded-[7px] shadow-[inset_0_0_0_1px_rgb(0_0_0/0.18)] ${value === color ? "outline-2 outline-offset-1 outline-accent" : ""}`}
    />
  );
  const title = (
    <span className="flex grow items-center justify-between">
      Palette
      <span className="flex gap-1 font-normal">
        <button type="button" title="Add the current color" aria-label="Add the current color to the palette" onClick={add} className="grid size-6 place-items-center rounded-control hover:bg-fog-2">
          <IconPlus size={14} />
        </button>
        <button type="button" title="Keep the whole pigment under a name" onClick={keep} className="h-6 truncate rounded-control px-1.5 hover:bg-fog-2">
          Keep<span className="max-[1100px]:hidden"> pigment</span>
        </button>
      </span>
    </span>
  );
  return (
    <Part title={title}>
      <div className="h-[112px] overflow-y-auto [scrollbar-width:thin]">
        <div className="flex flex-wrap gap-1 p-[3px]">
          {palette.map((value) =>
            swatch(value, `Use ${value}`, () => useDesk.setState({ palette: palette.filter((other) => other !== value) })),
          )}
        </div>
        {recent.length > 0 && (
          <div className="flex flex-wrap gap-1 p-[3px]" aria-label="Used lately">
            {recent.map((value) => swatch(value, `Again ${value}`))}
          </div>
        )}
        <div className="flex flex-wrap gap-1 p-[3px]">
          {pigments.map(({ name, pigment: kept }) => (
            <button
              key={name}
              type="button"
              title={`${name}: ${words(kept)}; right click removes it`}
              onClick={() => useDesk.setState({ pigment: kept })}
              onContextMenu={(event) => {
                event.preventDefault();
                useDesk.setState({ pigments: pigments.filter((other) => other.name !== name) });
              }}
              className="flex h-7 shrink-0 items-center gap-1.5 rounded-control bg-fog-2 px-1.5 hover:bg-fog-3"
            >
              <span className="size-5 rounded-full" style={{ background: ball(kept) }} />
              {name}
            </button>
          ))}
        </div>
      </div>
    </Part>
  );
}

/** A pigment's picture: a small ball, shiny or dull as it is. */
function ball({ base_color, roughness }: Pigment): string {
  const shine = Math.round(90 * (1 - (roughness ?? 0.6)));
  return `radial-gradient(circle at 35% 30%, rgb(255 255 255 / ${shine}%), transparent ${25 + 45 * (roughness ?? 0.6)}%), radial-gradient(circle at 40% 35%, transparent 40%, rgb(0 0 0 / 45%)), ${base_color ?? "#9aa19f"}`;
}

function words({ base_color, roughness, metallic, height }: Pigment): string {
  const parts = [base_color, roughness != null && `rough ${roughness.toFixed(2)}`, metallic != null && `metal ${metallic.toFixed(2)}`, height != null && `bump ${(height - 0.5).toFixed(2)}`];
  return parts.filter(Boolean).join(", ");
}
