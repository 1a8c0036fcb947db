import type { Picture } from "../api/schema.generated";
import { keepForAll } from "../state/library";
import type { Project } from "../state/project";
import { Named } from "../ui/named";
import { PictureCutout } from "./picture_cutout";

const ROLES: [NonNullable<Picture["role"]>, string][] = [
  ["color", "a color"],
  ["value", "values: rough, metal, mask"],
  ["height", "heights"],
  ["normal", "normals"],
  ["tip", "a tip"],
  ["id", "flat colors that mark areas"],
];

/** What is known about a picture of the project: its name, what it is for, where it comes from. */
export function PictureAbout({ picture, project }: { picture: Picture; project: Project }) {
  const tell = (part: { name?: string; role?: Picture["role"]; note?: string }) => project.send({ type: "describe_picture", picture: picture.id, ...part });
  return (
    <div className="mt-2.5 border-t border-fog-3 pt-2" role="group" aria-label="About the picture">
      <div className="flex h-7 items-center justify-between gap-2">
        <Named name={picture.name} of="the picture" className="font-semibold" onRename={(name) => tell({ name })} />
        <span className="shrink-0 text-ink-2">
          {picture.width} × {picture.height}
        </span>
      </div>
      <label className="flex h-7 items-center gap-2">
        <span className="w-[46px] shrink-0 text-ink-2">It is</span>
        <select value={picture.role} onChange={(event) => tell({ role: event.target.value as Picture["role"] })} className="h-7 min-w-0 grow rounded-control bg-fog-2 px-2">
          {ROLES.map(([role, text]) => (
            <option key={role} value={role}>{text}</option>
          ))}
        </select>
      </label>
      <label className="mt-1 flex h-7 items-center gap-2">
        <span className="w-[46px] shrink-0 text-ink-2">From</span>
        <input
          key={picture.id} defaultValue={picture.note} maxLength={500} placeholder="source and license" title="Where it comes from, and its license"
          onKeyDown={(event) => {
            if (event.key === "Enter") event.currentTarget.blur();
            event.stopPropagation();
          }}
          onBlur={(event) => event.target.value !== picture.note && tell({ note: event.target.value })}
          className="h-7 min-w-0 grow rounded-control bg-fog-2 px-2"
        />
      </label>
      <PictureCutout picture={picture} project={project} />
      <button type="button" title="As it is cut out here it is at hand in every project" onClick={() => void keepForAll(project.id, picture)} className="mt-1.5 h-7 w-full rounded-control bg-fog-2 hover:bg-fog-3">
        Keep for all projects
      </button>
      <button type="button" title="A picture that a layer uses cannot be forgotten; undo brings it back" onClick={() => project.send({ type: "remove_picture", picture: picture.id })} className="mt-1.5 h-7 w-full rounded-control bg-fog-2 hover:bg-fog-3">
        Forget the picture
      </button>
    </div>
  );
}
