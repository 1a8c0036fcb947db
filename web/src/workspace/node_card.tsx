import { useDesk } from "../state/desk";
import type { LayerState } from "../state/document";
import type { Project } from "../state/project";
import { surfaceNamed, useSession } from "../state/session";
import { CardHeading } from "./card_heading";
import { AdjustmentSettings } from "./adjustment_settings";
import { DecalSettings } from "./decal_settings";
import { LaidSlider } from "./laid_slider";
import { Head } from "./node_card_head";
import { MaskNumbers } from "./mask_numbers";
import { WashSettings } from "./wash_settings";

/** What the chosen layer is made of, beside the stage: a wash's values and pictures, an adjustment's numbers, and how it
 * meets what lies below. */
export function NodeCard({ project }: { project: Project }) {
  const state = useSession((session) => session.state);
  const { surface: name, layers } = useDesk();
  const surface = surfaceNamed(state, name);
  const node = surface?.layers.find(({ id }) => id === layers[surface.name]);
  if (!surface || !node) return null;
  return (
    <section aria-label={`Settings of ${node.name}`} className="card flex h-full flex-col">
      <CardHeading title={node.name} closes="Close the layer’s settings" />
      <div tabIndex={0} className="min-h-0 grow basis-0 overflow-x-hidden overflow-y-auto px-3.5 pb-3 [scrollbar-width:thin]">
        {node.kind === "decals" && <DecalSettings key={node.id} layer={node} project={project} />}
        {node.kind === "wash" && <WashSettings key={node.id} wash={node} project={project} />}
        {node.kind === "adjustment" ? <AdjustmentSettings key={node.id} node={node} project={project} /> : <Meeting key={`${node.id} meets`} node={node} project={project} />}
        {node.mask && <MaskNumbers key={`${node.id} mask`} node={node.id} mask={node.mask} project={project} />}
      </div>
    </section>
  );
}

/** With a mask: whether low places of what lies below are covered first. */
function Meeting({ node, project }: { node: LayerState; project: Project }) {
  const mix = node.mix ?? null;
  const now = { softness: 0.1, influence: 0, border: 0, ...mix };
  const edit = (part: Partial<typeof now>) => ({ type: "change_node" as const, node: node.id, mix: part });
  return (
    <>
      <Head>Meets what lies below</Head>
      <label className="flex h-7 items-center gap-1.5" title="The mask says how far it has risen; cracks fill first, stones stay out longest">
        <input
          type="checkbox" className="size-4 accent-accent" checked={mix !== null} disabled={!node.mask}
          onChange={(event) => project.send({ type: "change_node", node: node.id, mix: event.target.checked ? now : null })}
        />
        by height: low places first
      </label>
      {!node.mask && <p className="text-ink-2">Give the layer a mask first: it tells how far it has risen.</p>}
      {mix && node.mask && (
        <>
          <LaidSlider label="Softness" value={now.softness} min={0.005} max={1} fine project={project} edit={(softness) => edit({ softness })} title="Heights over which one gives way to the other" />
          <LaidSlider label="Own height" value={now.influence} min={-1} max={1} project={project} edit={(influence) => edit({ influence })} title="How far its own relief reaches out" />
          <LaidSlider label="Border" value={now.border} min={-1} max={1} project={project} edit={(border) => edit({ border })} title="How far its border stands up, or sinks" />
        </>
      )}
    </>
  );
}
