import { IconPlus } from "@tabler/icons-react";

import { eightBits } from "../state/color";
import { setPigment, useDesk } from "../state/desk";
import { putBack } from "../state/kept";
import { sayBriefly, sayWhile } from "../state/notices";
import { Part } from "../ui/part";
import { useReorder } from "../ui/reorder";

/** Colors kept with the project, in an order of the painter's own, and those used lately. */
export function PalettePart() {
  const { palette, recent, pigment } = useDesk();
  const color = pigment.base_color;
  const add = () => {
    if (!color) sayWhile(() => !useDesk.getState().pigment.base_color, "Color is off, so there is none to be added. Switch it on first.");
    else if (palette.includes(color)) sayBriefly(`${eightBits(color)} is in the palette.`);
    else useDesk.setState({ palette: [...palette, color] });
  };
  const remove = (value: string) => {
    const at = palette.indexOf(value);
    const without = (colors: string[]) => colors.filter((other) => other !== value);
    useDesk.setState({ palette: without(palette) });
    // It may have been added again meanwhile.
    const back = () => useDesk.setState(({ palette: now }) => ({ palette: putBack(without(now), at, value) }));
    sayBriefly(`${eightBits(value)} was taken from the palette.`, "Bring it back", back);
  };
  const reorder = useReorder(palette, (next) => useDesk.setState({ palette: next }), remove);
  const look = (value: string) =>
    `size-6 rounded-[7px] shadow-[inset_0_0_0_1px_rgb(128_134_132/0.5)] ${value === color ? "outline-2 outline-offset-1 outline-accent" : ""}`;
  const title = (
    <span className="flex grow items-center justify-between">
      Palette
      <button type="button" title="Add the current color" aria-label="Add the current color to the palette" onClick={add} className="grid size-6 place-items-center rounded-control hover:bg-fog-2">
        <IconPlus size={14} />
      </button>
    </span>
  );
  const fresh = recent.filter((value) => !palette.includes(value));
  return (
    <Part title={title}>
      <div tabIndex={0} role="group" aria-label="Palette" className="h-[138px] overflow-y-auto rounded-control [scrollbar-width:thin]">
        <div className="flex flex-wrap gap-1 p-[3px]">
          {palette.map((value, at) => (
            <button
              key={value}
              type="button"
              title={`${eightBits(value)}; dragged, or Shift and an arrow key, to another place; right click or Delete takes it away`}
              aria-label={`Use ${eightBits(value)}`}
              aria-pressed={value === color}
              onClick={() => setPigment({ base_color: value })}
              {...reorder(at)}
              style={{ background: eightBits(value) }}
              className={look(value)}
            />
          ))}
        </div>
        {fresh.length > 0 && (
          <div className="flex flex-wrap gap-1 border-t border-fog-3 p-[3px]" role="group" aria-label="Used lately">
            {fresh.map((value) => (
              <button
                key={value}
                type="button"
                title={`${eightBits(value)}, used lately`}
                aria-label={`Again ${eightBits(value)}`}
                onClick={() => setPigment({ base_color: value })}
                style={{ background: eightBits(value) }}
                className={look(value)}
              />
            ))}
          </div>
        )}
      </div>
    </Part>
  );
}
