import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useRef, useState } from "react";

import { MODEL_FILES } from "../api/files";
import { previewModel, replaceModel } from "../api/rest";
import type { Replacement } from "../api/schema.generated";
import { useDesk } from "../state/desk";
import type { Project } from "../state/project";
import { useSession } from "../state/session";
import { FileInput } from "../ui/file_input";

const WHY: Record<Replacement["surfaces"][number]["why"], string> = {
  chosen: "chosen", name: "same name", faces: "same faces", place: "same place", alike: "a name like it", order: "next in order", new: "",
}; // prettier-ignore

const keepPaint = () => useDesk.getState().preparing.keepPaint;

interface Asked {
  files: File[];
  preview: Replacement;
}

/** A corrected model in place of this one: first what goes where, then the change. */
export function ReplaceModel({ project }: { project: Project }) {
  const input = useRef<HTMLInputElement>(null);
  const [asked, setAsked] = useState<Asked | null>(null);
  const read = async (files: File[]) => {
    if (!files.length) return;
    useSession.setState({ notice: null });
    try {
      setAsked({ files, preview: await previewModel(project.id, files, keepPaint(), {}) });
    } catch (error) {
      useSession.setState({ notice: (error as Error).message });
    }
  };
  const replace = async (takes: Takes) => {
    if (!asked) return;
    setAsked(null);
    try {
      const notes = await replaceModel(project.id, asked.files, keepPaint(), takes);
      useSession.setState({ notice: notes.join(" ") || null });
    } catch (error) {
      useSession.setState({ notice: (error as Error).message });
    }
  };
  return (
    <>
      <button
        type="button"
        title="Put a corrected model in place of this one; the paint is carried over"
        onClick={() => input.current?.click()}
        className="h-7 rounded-control bg-fog-2 px-2.5 hover:bg-fog-3"
      >
        Replace model
      </button>
      <FileInput ref={input} label="New model" accept={MODEL_FILES} onFiles={(files) => void read(files)} />
      <Dialog open={asked !== null} onClose={() => setAsked(null)} className="relative z-30">
        <div className="fixed inset-0 grid place-items-center bg-ink/25 p-6">
          <DialogPanel className="card flex max-h-[calc(100vh-48px)] w-[600px] flex-col p-4 shadow-lg">
            {asked && (
              <WhatGoesWhere
                found={asked.preview}
                previewWith={(takes) => previewModel(project.id, asked.files, keepPaint(), takes)}
                replace={replace}
                cancel={() => setAsked(null)}
              />
            )}
          </DialogPanel>
        </div>
      </Dialog>
    </>
  );
}

/** What the painter chose: by the new surfaces' names, whose layers each takes; null for a new beginning. */
type Takes = Record<string, string | null>;

interface Choosing {
  found: Replacement;
  previewWith: (takes: Takes) => Promise<Replacement>;
  replace: (takes: Takes) => void;
  cancel: () => void;
}

/** The choice of a surface that takes no layers, but the paint that lay on its faces. */
const PAINT_ALONE = "\0";

function WhatGoesWhere({ found, previewWith, replace, cancel }: Choosing) {
  const [preview, setPreview] = useState(found);
  const [takes, setTakes] = useState<Takes>({});
  const latest = useRef(0);
  const staysOnModel = useDesk((desk) => desk.preparing.keepPaint);
  const old = [...found.surfaces.flatMap(({ takes }) => takes ?? []), ...found.left.map(({ name }) => name)];
  const choose = async (name: string, wanted: string) => {
    // A surface's layers go to one place: who is given them takes them from whoever was given them before.
    const chosen: Takes = Object.fromEntries(Object.entries(takes).filter(([other, had]) => other !== name && had !== wanted));
    if (wanted !== PAINT_ALONE) chosen[name] = wanted || null;
    setTakes(chosen);
    const asked = ++latest.current;
    try {
      const now = await previewWith(chosen);
      if (asked === latest.current) setPreview(now);
    } catch (error) {
      useSession.setState({ notice: (error as Error).message });
    }
  };
  return (
    <>
      <DialogTitle className="font-semibold">Replace the model</DialogTitle>
      <p className="mt-1 text-ink-2">
        {staysOnModel ? "The paint stays where it is on the model." : "The paint stays where it is in the maps."} Undo brings the old model back.
      </p>
      <div className="mt-3 min-h-24 overflow-y-auto [scrollbar-width:thin]">
        <table className="w-full">
          <thead className="sticky top-0 bg-fog text-left text-ink-2">
            <tr>
              <th className="font-medium">In the new model</th>
              <th className="font-medium">faces</th>
              <th className="font-medium">takes the layers of</th>
              <th className="font-medium">because</th>
            </tr>
          </thead>
          <tbody>
            {preview.surfaces.map((surface, row) => {
              const { name } = surface;
              // Even after another choice, what was found at first can be chosen again.
              const alone = [surface, found.surfaces[row]].find((each) => each?.why === "new" && each.besides.length);
              const now = surface.takes ?? (surface.why === "new" && alone ? PAINT_ALONE : "");
              const given = takes[name];
              return (
                <tr key={name} className="h-8">
                  <td className="max-w-40 truncate pr-3" title={name}>
                    {name}
                  </td>
                  <td className="pr-3">{surface.faces.toLocaleString("en")}</td>
                  <td className="pr-3">
                    <select
                      aria-label={`Layers for ${name}`}
                      value={given === undefined ? now : (given ?? "")}
                      onChange={(event) => void choose(name, event.target.value)}
                      className="h-7 w-52 rounded-control bg-fog-2 px-1.5"
                    >
                      <option value="">none: it begins anew</option>
                      {alone && <option value={PAINT_ALONE}>none: paint of {alone.besides.join(", ")} stays</option>}
                      {old.map((choice) => (
                        <option key={choice}>{choice}</option>
                      ))}
                    </select>
                  </td>
                  <td className="text-ink-2">{given === null ? "" : WHY[given === undefined ? surface.why : "chosen"]}</td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
      <div role="group" aria-label="What to know of it" tabIndex={0} className="max-h-36 shrink-0 overflow-y-auto [scrollbar-width:thin]">
        {preview.left.map(({ name, layers }) => (
          <p key={name} className="mt-2 wrap-anywhere">
            <span className="font-medium">{name}</span>
            {layers.length
              ? ` has no place in the new model. It is kept without faces, with ${layers.join(", ")}.`
              : " has no place in the new model, and nothing is painted on it: it goes."}
          </p>
        ))}
        {preview.losses.map((loss) => (
          <p key={loss} className="mt-2 wrap-anywhere text-care">
            {loss}
          </p>
        ))}
        {preview.notes.map((note) => (
          <p key={note} className="mt-2 text-ink-2">
            {note}
          </p>
        ))}
      </div>
      <div className="mt-4 flex justify-end gap-1.5">
        <button type="button" onClick={cancel} className="h-8 rounded-control bg-fog-2 px-3.5 hover:bg-fog-3">
          Cancel
        </button>
        <button type="button" autoFocus onClick={() => replace(takes)} className="h-8 rounded-control bg-accent px-3.5 font-medium text-fog">
          Replace
        </button>
      </div>
    </>
  );
}
