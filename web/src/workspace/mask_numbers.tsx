import type { MaskOf } from "../api/schema.generated";
import type { Project } from "../state/project";
import { useSession } from "../state/session";
import { LaidPair } from "./laid_pair";
import { LaidSlider } from "./laid_slider";
import { Head } from "./node_card_head";

const texels = (value: number) => (value === 0 ? "off" : `${value < 10 ? value.toFixed(1) : Math.round(value)} px`);

/** How a mask counts: blurred, its shares stretched; what is painted on it stays as it is. */
export function MaskNumbers({ node, mask, project }: { node: string; mask: MaskOf; project: Project }) {
  const { start = 1, picture = null, soften = 0, low = 0, high = 1 } = mask;
  const pictures = useSession((session) => session.state?.pictures) ?? [];
  const edit = (part: Partial<MaskOf>) => ({ type: "change_mask" as const, node, ...part });
  return (
    <>
      <Head>Its mask</Head>
      <label className="flex h-7 items-center gap-2" title="What the mask does where nothing is painted on it: a picture lies by UV, light where it shows">
        <span className="w-[62px] shrink-0">Unpainted</span>
        <select
          aria-label="Where the mask is not painted" className="h-7 min-w-0 grow rounded-control bg-fog-2 px-2"
          value={picture ?? (start === 0 ? "hides" : start === 1 ? "shows" : "partly")}
          onChange={({ target: { value } }) => project.send(value === "hides" || value === "shows" ? edit({ picture: null, start: value === "shows" ? 1 : 0 }) : edit({ picture: value }))}
        >
          <option value="hides">hides</option>
          <option value="shows">shows</option>
          {!picture && start > 0 && start < 1 && <option value="partly">shows {Math.round(start * 100)}%</option>}
          {pictures.map(({ id, name }) => (
            <option key={id} value={id}>
              {name}
            </option>
          ))}
        </select>
      </label>
      <LaidSlider label="Softened" value={soften} max={64} fine show={texels} project={project} edit={(next) => edit({ soften: next })} title="Blurred, over seams too" />
      <LaidPair
        low={low} high={high} labels={["Hides to", "Shows at"]} titles={["Shares up to this hide all", "Shares from this on show all"]}
        project={project} edit={(low, high) => edit({ low, high })}
      />
    </>
  );
}
