import type { MaskOf } from "../api/schema.generated";
import type { Project } from "../state/project";
import { LaidSlider } from "./laid_slider";
import { Head } from "./node_card_head";

const texels = (value: number) => (value === 0 ? "off" : `${value < 10 ? value.toFixed(1) : Math.round(value)} px`);

/** How a mask counts: blurred, its shares stretched; what is painted on it stays as it is. */
export function MaskNumbers({ node, mask, project }: { node: string; mask: MaskOf; project: Project }) {
  const { soften = 0, low = 0, high = 1 } = mask;
  const edit = (part: Partial<MaskOf>) => ({ type: "change_mask" as const, node, ...part });
  return (
    <>
      <Head>Its mask counts</Head>
      <LaidSlider label="Softened" value={soften} max={64} fine show={texels} project={project} edit={(next) => edit({ soften: next })} title="Blurred, over seams too" />
      <LaidSlider label="Hides to" value={low} max={high - 0.01} project={project} edit={(next) => edit({ low: next })} title="Shares up to this hide all" />
      <LaidSlider label="Shows at" value={high} min={low + 0.01} project={project} edit={(next) => edit({ high: next })} title="Shares from this on show all" />
    </>
  );
}
