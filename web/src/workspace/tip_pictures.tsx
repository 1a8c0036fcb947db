import { IconPlus } from "@tabler/icons-react";
import { useEffect, useRef } from "react";

import { PICTURE_FILES } from "../api/files";
import type { TipChoice } from "../api/schema.generated";
import { setTip, useDesk } from "../state/desk";
import { takeDropped } from "../state/dropped";
import { pictureAt } from "../state/pictures";
import type { Project } from "../state/project";
import { useSession } from "../state/session";
import { addOwnTip, chooseTip, dropTip, loadTips, stampWith, tipAt, tipOf, useColoredTip, useTips } from "../state/tips";
import { FileInput } from "../ui/file_input";
import { Head } from "./node_card_head";
import { Toggle } from "./toggle";

const CELL = "size-11 overflow-hidden rounded-control bg-white ring-accent";

/** What the tip lets paint through: a picture that ships with us, or one of the painter's own. */
export function TipPictures({ project }: { project: Project }) {
  const { picture, tint } = useDesk((desk) => desk.tip);
  const tips = useTips((shelf) => shelf.tips);
  const pictures = useSession((session) => session.state?.pictures) ?? [];
  const input = useRef<HTMLInputElement>(null);
  useEffect(() => loadTips(project.id), [project.id]);
  const take = (files: Iterable<File>) => {
    const [file] = files;
    if (file) void addOwnTip(project.id, file);
  };
  const colored = useColoredTip();
  return (
    <div
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        takeDropped(event.dataTransfer, take);
      }}
    >
      <Head>Picture of the tip</Head>
      <div className="flex flex-wrap gap-1">
        <button type="button" title="No picture: the falloff alone" aria-pressed={picture === null} onClick={() => setTip({ picture: null })} className={`${CELL} text-[#56605c] ${picture === null ? "ring-2" : ""}`}>
          none
        </button>
        {tips.map((tip) => (
          <Choice key={`${tip.here} ${tip.name}`} tip={tip} chosen={tip.here === true && tip.name === picture} project={project.id} />
        ))}
        {pictures
          .filter((one) => one.role === "tip" && !tips.some(({ name }) => name === tipOf(one)))
          .map((one) => (
            <button key={one.id} type="button" title={`${one.name}, a picture of this project`} aria-label={one.name} onClick={() => void stampWith(project, one)} className={CELL}>
              <img src={pictureAt(project.id, one)} alt="" className="size-full object-contain" />
            </button>
          ))}
        <button type="button" title="A picture of your own, for all projects: choose or drop a file here. A colored one is painted in its colors" aria-label="Add a tip picture" onClick={() => input.current?.click()} className={`${CELL} grid place-items-center bg-fog-2 text-ink-2`}>
          <IconPlus size={16} />
        </button>
      </div>
      {colored && (
        <div className="mt-1.5 flex items-center gap-2">
          <Toggle text="Tinted" on={tint ?? false} onChange={(tint) => setTip({ tint })} what="Its shape with the pigment's color, instead of its own colors" />
        </div>
      )}
      <FileInput ref={input} label="Own tip" accept={PICTURE_FILES} single onFiles={take} />
    </div>
  );
}

function Choice({ tip, chosen, project }: { tip: TipChoice; chosen: boolean; project: string }) {
  const hint = tip.here ? tip.title : `${tip.title}, of the library; right click takes it out`;
  return (
    <button
      type="button" title={hint} aria-label={tip.title} aria-pressed={chosen}
      onClick={() => void chooseTip(project, tip)}
      onContextMenu={(event) => {
        event.preventDefault();
        if (!tip.here) void dropTip(project, tip);
      }}
      className={`${CELL} ${chosen ? "ring-2" : ""}`}
    >
      <img src={tipAt(project, tip)} alt="" className="size-full object-contain" />
    </button>
  );
}
