import { useMemo, useRef, useState } from "react";
import { Collection, DropIndicator, type DropItem, type Key, type Selection, Tree, useDragAndDrop } from "react-aria-components";
import { useMultipleSelectionState } from "react-stately";

import { useDesk } from "../state/desk";
import { type LayerState, nodesIn, type SurfaceState } from "../state/document";
import { together, useRows } from "../state/layers";
import type { Project } from "../state/project";
import { FINISH_TYPE, layFinish } from "./finishes_card";
import { StackRow } from "./stack_row";

/** Letters are keys of the whole page: the list would keep those that a layer's name begins with. Its types do not know it. */
const PLAIN = { disallowTypeAhead: true };

/** A surface's stack, topmost first as it lies: dragging or the tree's own keys reorder it and put layers into groups. */
export function StackTree({ surface, project }: { surface: SurfaceState; project: Project }) {
  const target = useDesk((desk) => desk.layers[surface.name]);
  const { marked, folded, naming } = useRows();
  const groups = useMemo(() => surface.layers.filter(({ kind }) => kind === "group").map(({ id }) => id), [surface]);
  const nodes = (parent: string): LayerState[] => nodesIn(surface, parent).reverse();
  const known = new Set(surface.layers.map(({ id }) => id));
  const typing = naming !== null && known.has(naming);
  const selected = new Set((target ? together(target) : [...marked]).filter((id) => known.has(id)));

  // Shift marks all from the chosen layer on, again and again: the list remembers only of a selection of its own where it began.
  const { selectedKeys } = useMultipleSelectionState({ selectionMode: "multiple", selectedKeys: selected });
  const [end, setEnd] = useState<Key | null>(null);
  const extended = Object.assign(selectedKeys, { anchorKey: target, currentKey: end });

  // A finger would mark one row after the other, and has no key that says so: the row it meets is meant alone.
  const byFinger = useRef(false);

  const mark = (now: Selection) => {
    setEnd((now as Partial<typeof extended>).currentKey ?? null);
    const all = new Set(now === "all" ? known : [...now].map(String));
    const added = [...all].find((id) => !selected.has(id));
    const met = byFinger.current ? (added ?? [...selected].find((id) => !all.has(id))) : undefined;
    byFinger.current = false;
    const keys = met ? new Set([met]) : all;
    useRows.setState({ marked: keys });
    const fresh = added ?? [...keys][0];
    if (fresh && fresh !== target && (keys.size === 1 || !keys.has(target ?? ""))) project.choose(fresh);
  };

  const move = (keys: Set<Key>, key: string, where: "before" | "after" | "on") => {
    const moved = new Set([...keys].flatMap((one) => together(String(one))));
    const at = surface.layers.find(({ id }) => id === key);
    if (!at) return;
    const parent = where === "on" ? at.id : at.parent;
    const stay = nodesIn(surface, parent).filter(({ id }) => !moved.has(id));
    const place = stay.findIndex(({ id }) => id === key);
    // Rows stand topmost first: before a row is above it.
    const index = where === "on" || place < 0 ? stay.length : where === "before" ? place + 1 : place;
    project.send({ type: "move_nodes", nodes: [...moved], parent, index });
  };

  const layFinishes = async (items: DropItem[], into: string | null) => {
    for (const item of items) {
      if (item.kind === "text" && item.types.has(FINISH_TYPE)) await layFinish(project, await item.getText(FINISH_TYPE), null, into);
    }
  };

  const { dragAndDropHooks } = useDragAndDrop<LayerState>({
    // In a name that is typed a drag marks letters.
    isDisabled: typing,
    getItems: (keys) => [...keys].map((key) => ({ "text/plain": String(key) })),
    getAllowedDropOperations: () => ["move"],
    shouldAcceptItemDrop: ({ key, dropPosition }) => dropPosition !== "on" || groups.includes(String(key)),
    onMove: ({ keys, target: { key, dropPosition } }) => move(keys, String(key), dropPosition),
    acceptedDragTypes: ["text/plain", FINISH_TYPE],
    onItemDrop: ({ items, target: { key } }) => void layFinishes(items, String(key)),
    onInsert: ({ items }) => void layFinishes(items, null),
    onRootDrop: ({ items }) => void layFinishes(items, null),
    renderDropIndicator: (at) => (
      <DropIndicator target={at} className="pointer-events-none -my-px h-0.5 data-drop-target:bg-accent" />
    ),
  });

  const row = (node: LayerState) => (
    <StackRow key={node.id} node={node} surface={surface} project={project} inside={node.kind === "group" ? <Collection items={nodes(node.id)}>{row}</Collection> : null} />
  );
  return (
    <Tree
      {...PLAIN}
      aria-label={`Layers of ${surface.name}`}
      items={nodes(surface.id)}
      // Rows look at more than their own node.
      dependencies={[surface, target, marked]}
      selectionMode="multiple"
      selectionBehavior="replace"
      disallowEmptySelection
      escapeKeyBehavior="none"
      // Arrows go from button to button of a row, but in a name that is typed they go from letter to letter.
      keyboardNavigationBehavior={typing ? "tab" : "arrow"}
      selectedKeys={extended}
      onPointerDownCapture={({ pointerType }) => (byFinger.current = pointerType === "touch")}
      onSelectionChange={mark}
      expandedKeys={groups.filter((id) => !folded.has(id))}
      onExpandedChange={(open) => useRows.setState({ folded: new Set(groups.filter((id) => !open.has(id))) })}
      dragAndDropHooks={dragAndDropHooks}
      renderEmptyState={() => <p className="p-4 text-ink-2">No layers yet. Add one to paint on {surface.name}.</p>}
      className="min-h-[92px] grow short:min-h-[21vh] basis-0 overflow-y-auto border-t border-fog-3 outline-none"
    >
      {row}
    </Tree>
  );
}
