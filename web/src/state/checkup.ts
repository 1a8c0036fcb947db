import { loadCheckup } from "../api/rest";
import type { Checkup, FindingState } from "../api/schema.generated";
import { useSession } from "./session";
import type { DocumentState } from "./document";
import { ofProject } from "./of_project";

interface Checked {
  /** By surface; null while it runs for the first time. */
  surfaces: Checkup[] | null;
  running: boolean;
  /** Faces with findings that are not meant so. */
  faces: { serious: Set<number>; care: Set<number> };
}

const NOTHING: Checked = { surfaces: null, running: false, faces: { serious: new Set(), care: new Set() } };

/** The checkup of the UVs as they are. */
export const useCheckup = ofProject<Checked>(NOTHING);

let latest = 0;

/** Run the checkup now and whenever model, UVs, map sizes or names change. Returns how to stop. */
export function keepChecking(project: string): () => void {
  let checked = "";
  const look = ({ state }: { state: DocumentState | null }) => {
    const now = state && JSON.stringify([state.mesh, state.surfaces.map(({ name, width, height, uv_set, meant }) => [name, width, height, uv_set, meant])]);
    if (!now || now === checked) return;
    checked = now;
    void run(project);
  };
  look(useSession.getState());
  const stop = useSession.subscribe(look);
  return () => {
    latest++;
    stop();
  };
}

/** An answer that has been overtaken does not count. */
async function run(project: string): Promise<void> {
  const mine = ++latest;
  useCheckup.setState({ running: true });
  try {
    const surfaces = await loadCheckup(project);
    if (mine !== latest) return;
    useCheckup.setState({ surfaces, running: false, faces: facesOf(surfaces) });
  } catch {
    // A checkup that cannot be had is no reason to disturb the painter.
    if (mine === latest) useCheckup.setState({ running: false });
  }
}

/** A surface's findings without those that are meant so. */
export const openIn = ({ findings }: Checkup): FindingState[] => findings.filter(({ meant }) => !meant);

function facesOf(surfaces: Checkup[]): Checked["faces"] {
  const faces = { serious: new Set<number>(), care: new Set<number>() };
  for (const checkup of surfaces) {
    for (const { serious, faces: runs } of openIn(checkup)) {
      for (const [first, end] of runs as [number, number][]) {
        for (let face = first; face < end; face++) (serious ? faces.serious : faces.care).add(face);
      }
    }
  }
  return faces;
}
