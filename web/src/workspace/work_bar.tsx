import type { Project } from "../state/project";
import { useSession } from "../state/session";

/** Long work: what is done, how far it is, and a way to call it off. What is over at once only would make it flicker. */
export function WorkBar({ project }: { project: Project }) {
  const work = useSession((session) => session.work);
  if (!work) return null;
  return (
    <div role="status" data-testid="work" className="card absolute top-1/2 left-1/2 z-10 w-80 -translate-1/2 animate-[appear_0s_0.2s_backwards] p-4 shadow-lg">
      <p>{work.label} …</p>
      <progress value={work.share} className="mt-2 block h-1.5 w-full" />
      {work.mine && (
        <button
          type="button"
          onClick={() => project.send({ type: "cancel_work" })}
          className="mt-3 h-7 rounded-control bg-fog-2 px-2.5 hover:bg-fog-3"
        >
          Call off
        </button>
      )}
    </div>
  );
}
