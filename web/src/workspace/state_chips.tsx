import { IconX } from "@tabler/icons-react";

import type { Mirror, Tip } from "../api/schema.generated";
import { openTipCard, toggleStencils } from "../state/cards";
import { FRESH, setTip, type Tool, useDesk } from "../state/desk";
import { useRows } from "../state/layers";
import { toggleMaskAlone } from "../state/mask_alone";
import { isStencilled, setStencil } from "../state/stencils";
import { MIRROR_BUTTON } from "./mirror_control";

interface Chip {
  text: string;
  what: string;
  open: () => void;
  rest: () => void;
}

/** Chips that fit beside the title; the others are behind a number. */
const MOST = 3;
const { tip: RESTING, mirror: NO_MIRROR } = FRESH;

/** Everything about the brush that is not at rest: a click opens its control, the cross puts it to rest. */
export function StateChips() {
  const desk = useDesk();
  const { tip, mirror, tool, eraseAll } = desk;
  const through: Chip[] = isStencilled(desk)
    ? [{ text: "stencil", what: "Strokes go through the stencil", open: toggleStencils, rest: () => setStencil({ on: false }) }]
    : [];
  const alone = useRows((rows) => rows.maskAlone);
  const masks: Chip[] = alone ? [{ text: "mask alone", what: "Only a mask is seen", open: () => toggleMaskAlone(alone), rest: () => toggleMaskAlone(alone) }] : [];
  const chips = [...masks, ...through, ...chipsOf(tip, mirror, tool, eraseAll)];
  const shown = chips.length > MOST ? chips.slice(0, MOST - 1) : chips;
  const more = chips.slice(shown.length);
  return (
    <span role="group" aria-label="Not at rest" className="flex min-w-0 grow items-center gap-1 overflow-hidden font-normal">
      {shown.map(({ text, what, open, rest }) => (
        <span key={what} className="flex h-5 min-w-0 items-center rounded-full bg-accent-soft pl-2 text-[12px] text-ink">
          <button type="button" title={`${what}: open its control`} onClick={open} className="truncate hover:underline">
            {text}
          </button>
          <button type="button" aria-label={`Put to rest: ${what}`} title="Put to rest" onClick={rest} className="grid size-5 shrink-0 place-items-center rounded-full hover:bg-fog-3">
            <IconX size={11} />
          </button>
        </span>
      ))}
      {more.length > 0 && (
        <button type="button" title={more.map(({ text }) => text).join(", ")} onClick={openTipCard} className="h-5 shrink-0 rounded-full bg-accent-soft px-2 text-[12px] text-ink hover:underline">
          +{more.length}
        </button>
      )}
    </span>
  );
}

function chipsOf(tip: Tip, mirror: Required<Mirror>, tool: Tool, eraseAll: boolean): Chip[] {
  const chips: Chip[] = [];
  const add = (on: boolean | undefined, text: string, what: string, part: Partial<Tip>) => {
    if (on) chips.push({ text, what, open: openTipCard, rest: () => setTip(part) });
  };
  const px = (value: number | undefined) => `${Math.round(value ?? 0)} px`;
  if (tool === "erase" && !eraseAll) {
    chips.push({ text: "pigment's maps only", what: "Erases only the pigment's maps", open: openTipCard, rest: () => useDesk.setState({ eraseAll: true }) });
  }
  add(tip.blend !== RESTING.blend, tip.blend ?? "", "Blend mode", { blend: RESTING.blend });
  if (mirror.planes || mirror.turns > 1) {
    const text = [mirror.planes && `mirror ${mirror.planes.toUpperCase()}`, mirror.turns > 1 && `${mirror.turns} around ${mirror.axis.toUpperCase()}`].filter(Boolean).join(", ");
    chips.push({ text, what: "Mirror", open: () => document.getElementById(MIRROR_BUTTON)?.click(), rest: () => useDesk.setState({ mirror: { ...NO_MIRROR, center: mirror.center } }) });
  }
  add(tip.picture != null, tip.picture ?? "", "Picture of the tip", { picture: null });
  add(tip.build_up, "builds up", "Builds up", { build_up: false });
  const jitters = (["place", "radius", "angle", "color"] as const).filter((kind) => (tip[`jitter_${kind}`] ?? 0) > 0);
  const names = { place: "place", radius: "size", angle: "angle", color: "tone" };
  add(jitters.length > 0, `jitter: ${jitters.map((kind) => names[kind]).join(", ")}`, "Jitter", { jitter_place: 0, jitter_radius: 0, jitter_angle: 0, jitter_color: 0 });
  add((tip.stabilizer ?? 0) > 0, `string ${px(tip.stabilizer)}`, "Stabilizer", { stabilizer: 0 });
  add((tip.taper ?? 0) > 0, `taper ${px(tip.taper)}`, "Taper", { taper: 0 });
  add(tip.covered_too, "covered too", "Covered too", { covered_too: false });
  add(tip.falloff !== RESTING.falloff, `${tip.falloff} falloff`, "Falloff", { falloff: RESTING.falloff });
  const turned = tip.angle_mode !== "fixed" ? `turned: ${tip.angle_mode}` : `turned ${Math.round(tip.angle ?? 0)}°`;
  add(tip.angle_mode !== "fixed" || !!tip.angle, turned, "Angle of the tip", { angle_mode: "fixed", angle: 0 });
  add(tip.facing_limit !== RESTING.facing_limit, `edges to ${Math.round(tip.facing_limit ?? 0)}°`, "Around edges", { facing_limit: RESTING.facing_limit });
  return chips;
}
