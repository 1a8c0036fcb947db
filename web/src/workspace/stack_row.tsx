import { IconAdjustmentsHorizontal, IconChevronRight, IconEye, IconEyeOff, IconFolder, IconLock, IconSquareHalf } from "@tabler/icons-react";
import type { ReactNode } from "react";
import { Button, TreeItem, TreeItemContent } from "react-aria-components";

import { COMMANDS } from "../commands/commands";
import { useDesk } from "../state/desk";
import { hiddenBy, type LayerState, lockedBy, type SurfaceState } from "../state/document";
import { startNaming, useRows } from "../state/layers";
import type { Project } from "../state/project";
import { NameField } from "../ui/named";
import { Thumbnail } from "./thumbnail";

interface Props {
  node: LayerState;
  surface: SurfaceState;
  project: Project;
  /** The rows of what lies in a group. */
  inside: ReactNode;
}

/** One layer: a click makes it the target, a click on its mask's picture the mask; a double click renames it. */
export function StackRow({ node, surface, project, inside }: Props) {
  const naming = useRows((rows) => rows.naming === node.id);
  const onMask = useDesk((desk) => desk.maskTarget === node.id);
  const chosen = useDesk((desk) => desk.layers[surface.name] === node.id);
  const hidden = hiddenBy(surface, node) !== undefined;
  const Eye = node.visible === false ? IconEyeOff : IconEye;
  const mode = node.blend === "normal" || !node.blend ? "Normal" : node.blend;
  const share = Math.round((node.opacity ?? 1) * 100);
  const atRest = mode === "Normal" && share === 100;
  const picture = (on: boolean) => `grid size-8 shrink-0 place-items-center overflow-hidden rounded-[5px] short:size-6 ${on ? "outline-2 outline-accent -outline-offset-1" : ""}`;
  return (
    <TreeItem
      id={node.id}
      textValue={node.name}
      data-target={chosen}
      className={({ isSelected, isDropTarget }) =>
        `cursor-default border-b border-fog-3 focus-visible:-outline-offset-2 ${
          isDropTarget ? "bg-accent-soft outline-2 -outline-offset-2 outline-accent" : chosen ? "bg-accent-soft" : isSelected ? "bg-fog-2" : "hover:bg-fog-2"
        }`
      }
    >
      <TreeItemContent>
        {({ level, isExpanded, hasChildItems }) => (
          <div className="flex h-11 items-center gap-1.5 pr-1 short:h-8" style={{ paddingLeft: 6 + 12 * Math.min(level - 1, 5) }}>
            {node.kind === "group" ? (
              <Button slot="chevron" isDisabled={!hasChildItems} className="grid h-8 w-5 shrink-0 place-items-center rounded-control text-ink-2 disabled:opacity-40">
                <IconChevronRight size={14} className={isExpanded && hasChildItems ? "rotate-90" : ""} />
              </Button>
            ) : null}
            <span className={`${picture(chosen && !onMask && node.mask != null)} ${hidden ? "opacity-50" : ""}`}>
              {node.kind === "group" ? <IconFolder size={18} stroke={1.5} className="text-ink-2" /> : node.kind === "adjustment" ? <IconAdjustmentsHorizontal size={18} stroke={1.5} className="text-ink-2" /> : <Thumbnail node={node} surface={surface} project={project.id} of="paint" />}
            </span>
            {node.mask && (
              <Button
                aria-label={`Mask of ${node.name}`}
                aria-pressed={onMask}
                onPress={() => project.choose(node.id, true)}
                className={`${picture(onMask)} ${node.mask.on === false ? "opacity-35" : ""}`}
              >
                <Thumbnail node={node} surface={surface} project={project.id} of="mask" />
              </Button>
            )}
            {naming ? (
              <NameField name={node.name} of="the layer" onRename={(name) => project.send({ type: "change_node", node: node.id, name })} onDone={() => startNaming(null)} />
            ) : (
              <span
                className={`min-w-0 grow short:flex short:items-baseline short:gap-1.5 ${hidden ? "opacity-55" : ""}`}
                title={`${node.name}: strokes go to the chosen one. Double click or ${COMMANDS.renameLayer.keys[0]} renames, dragging reorders`}
                onClick={() => chosen && onMask && project.choose(node.id)}
                onDoubleClick={() => startNaming(node.id)}
              >
                <span className="block truncate font-semibold">{node.name}</span>
                <span className={`block truncate text-[12px] text-ink-2 short:shrink-0 ${atRest ? "short:hidden" : ""}`}>
                  {mode} {share}%
                </span>
              </span>
            )}
            {node.kind === "brushed" && node.alpha_locked && <IconSquareHalf size={14} stroke={1.7} className="shrink-0 text-ink-2" aria-label="Its alpha is kept" />}
            {lockedBy(surface, node) && <IconLock size={14} stroke={1.7} className="shrink-0 text-ink-2" aria-label="Locked" />}
            <Button
              aria-pressed={node.visible !== false}
              aria-label={`${node.visible === false ? "Show" : "Hide"} ${node.name}`}
              onPress={({ altKey }) => project.send(altKey ? { type: "show_alone", node: node.id } : { type: "change_node", node: node.id, visible: node.visible === false })}
              className="grid size-7 shrink-0 place-items-center rounded-control text-ink-2 hover:bg-fog-3"
            >
              <Eye size={16} stroke={1.7} />
            </Button>
          </div>
        )}
      </TreeItemContent>
      {inside}
    </TreeItem>
  );
}
