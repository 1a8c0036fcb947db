import type { Pigment } from "../api/schema.generated";
import { eightBits } from "../state/color";
import { type NamedPigment, useDesk } from "../state/desk";
import { putBackNamed, withNamed } from "../state/kept";
import { sayBriefly } from "../state/notices";
import { KeepUnderName } from "../ui/keep_under_name";
import { written } from "./figures";

/** Whole pigments under a name: a click loads one, right click takes it away. */
export function KeptPigments() {
  const pigments = useDesk((desk) => desk.pigments);
  return (
    <div role="group" aria-label="Kept pigments" className="mt-0.5 flex h-7 items-center gap-1 overflow-x-auto [scrollbar-width:none]">
      <KeepPigment />
      {pigments.map((kept) => (
        <button
          key={kept.name}
          type="button"
          title={`${kept.name}: ${words(kept.pigment)}; right click takes it away`}
          onClick={() => useDesk.setState({ pigment: kept.pigment })}
          onContextMenu={(event) => {
            event.preventDefault();
            drop(kept);
          }}
          className="flex h-7 shrink-0 items-center gap-1.5 rounded-control bg-fog-2 px-1.5 whitespace-nowrap hover:bg-fog-3"
        >
          <span className="size-4 rounded-full" style={{ background: ball(kept.pigment) }} />
          {kept.name}
        </button>
      ))}
    </div>
  );
}

function drop(kept: NamedPigment): void {
  const { pigments } = useDesk.getState();
  const at = pigments.indexOf(kept);
  useDesk.setState({ pigments: pigments.filter((other) => other !== kept) });
  sayBriefly(`${kept.name} was taken away.`, "Bring it back", () => bringBack(at, kept));
}

const bringBack = (at: number, kept: NamedPigment) => useDesk.setState(({ pigments }) => ({ pigments: putBackNamed(pigments, at, kept) }));

function keep(name: string): void {
  const { pigments, pigment } = useDesk.getState();
  const at = pigments.findIndex((other) => other.name === name);
  const before = pigments[at];
  useDesk.setState({ pigments: withNamed(pigments, { name, pigment }) });
  if (before) sayBriefly(`${name} keeps this pigment now.`, "Bring the one before back", () => bringBack(at + 1, before));
}

function KeepPigment() {
  return (
    <KeepUnderName
      what="the pigment" button="Keep the pigment" title="Keep the whole pigment under a name" card="A new pigment"
      sentence="Keeps every value that is on." submit="Keep this pigment" maxLength={40}
      onKeep={keep}
    />
  );
}

/** A pigment's picture: a small ball, shiny or dull as it is. */
function ball({ base_color, roughness }: Pigment): string {
  const shine = Math.round(90 * (1 - (roughness ?? 0.6)));
  return `radial-gradient(circle at 35% 30%, rgb(255 255 255 / ${shine}%), transparent ${25 + 45 * (roughness ?? 0.6)}%), radial-gradient(circle at 40% 35%, transparent 40%, rgb(0 0 0 / 45%)), ${base_color ? eightBits(base_color) : "#9aa19f"}`;
}

function words({ base_color, roughness, metallic, height, opacity }: Pigment): string {
  const parts = [base_color && eightBits(base_color), roughness != null && `rough ${written("roughness").show(roughness)}`, metallic != null && `metal ${written("metallic").show(metallic)}`, height != null && `bump ${written("height").show(height)}`, opacity != null && `solid ${written("opacity").show(opacity)}`];
  return parts.filter(Boolean).join(", ");
}
