import { create } from "zustand";

import { addTip, keepPresets, listPresets, listTips, takeTip } from "../api/rest";
import type { Preset } from "../api/schema.generated";
import { keptTip, useDesk } from "./desk";
import { putBackNamed, withNamed } from "./kept";
import { sayBriefly } from "./notices";
import { say } from "./session";

/** Tips under a name, the same in every project; null before they have come. */
export const usePresets = create<{ presets: Preset[] | null }>(() => ({ presets: null }));

export function loadPresets(): void {
  listPresets().then((presets) => usePresets.setState({ presets }), () => undefined);
}

/** One change after the other, each of the presets as they are by then: another tab may have kept some. */
let changed: Promise<void> = Promise.resolve();
function change(act: (now: Preset[]) => Preset[]): void {
  changed = changed
    .then(async () => {
      const presets = act(await listPresets());
      await keepPresets(presets);
      usePresets.setState({ presets });
    })
    .catch((error: Error) => say(error.message));
}

const placeOf = (name: string, presets: readonly Preset[]) => presets.findIndex((preset) => preset.name === name);

/** The tip at hand under a name, with the tool and, if wanted, the pigment. */
export async function keepPreset(project: string, name: string, withTool: boolean, withPigment: boolean): Promise<void> {
  const { tip, tool, pigment } = useDesk.getState();
  const strokes = tool !== "fill" && tool !== "gradient" && tool !== "sample" && tool !== "pick";
  const preset: Preset = {
    name, tip, tool: withTool && strokes ? tool : null, pigment: withPigment ? pigment : null,
    picture: await ownPicture(project, tip.picture ?? null),
  }; // prettier-ignore
  change((now) => {
    const at = placeOf(name, now);
    const before = now[at];
    if (before) sayBriefly(`${name} keeps this tip now.`, "Bring the one before back", () => change((then) => putBackNamed(then, at + 1, before)));
    return withNamed(now, preset);
  });
}

/** The same presets in another order. */
export const arrangePresets = (presets: Preset[]): void =>
  change((now) => [...presets.flatMap(({ name }) => now[placeOf(name, now)] ?? []), ...now.filter(({ name }) => placeOf(name, presets) < 0)]);

/** Returns how to bring it back. */
export function dropPreset(preset: Preset): () => void {
  const at = placeOf(preset.name, usePresets.getState().presets ?? []);
  change((now) => now.filter(({ name }) => name !== preset.name));
  return () => change((now) => putBackNamed(now, at, preset));
}

/** Everything that a preset keeps comes to hand. A picture of the painter's own comes into this project, too. */
export async function takePreset(project: string, preset: Preset): Promise<void> {
  const tip = keptTip(preset.tip);
  if (preset.picture && tip.picture) {
    const known = (await listTips(project)).find(({ name }) => name === tip.picture);
    if (known && !known.here) tip.picture = (await takeTip(project, known.name)).name;
    else if (!known) {
      const bytes = Uint8Array.from(atob(preset.picture), (letter) => letter.charCodeAt(0));
      tip.picture = (await addTip(project, new File([bytes], `${tip.picture}.png`, { type: "image/png" }))).name;
    }
  }
  useDesk.setState({ tip, ...(preset.tool && { tool: preset.tool }), ...(preset.pigment && { pigment: preset.pigment }) });
}

/** What a preset keeps, in words. */
export function keptBy({ tool, pigment }: Preset): string {
  return ["the tip", tool && `the tool (${tool})`, pigment && "the pigment"].filter(Boolean).join(", ");
}

/** A picture that other projects do not have, as base64. */
async function ownPicture(project: string, name: string | null): Promise<string | null> {
  if (!name) return null;
  const known = await listTips(project);
  if (!known.some((tip) => tip.own && tip.here && tip.name === name)) return null;
  const bytes = new Uint8Array(await (await fetch(`/api/projects/${project}/tips/${encodeURIComponent(name)}.png`)).arrayBuffer());
  let letters = "";
  for (const byte of bytes) letters += String.fromCharCode(byte);
  return btoa(letters);
}
