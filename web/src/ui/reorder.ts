import { type DragEvent, type KeyboardEvent, useState } from "react";

/** A list with one of it at another place. */
function moved<T>(list: readonly T[], from: number, to: number): T[] {
  const others = list.filter((_, i) => i !== from);
  return [...others.slice(0, to), list[from]!, ...others.slice(to)];
}

/** What makes the items of a row change places: dragged onto another, or by Shift and an arrow key; Delete takes one away. */
export function useReorder<T>(list: readonly T[], onOrder: (list: T[]) => void, onRemove: (item: T) => void) {
  const [dragged, setDragged] = useState<number | null>(null);
  return (at: number) => ({
    draggable: true,
    onDragStart: () => setDragged(at),
    onDragOver: (event: DragEvent) => event.preventDefault(),
    onDrop: (event: DragEvent) => {
      event.preventDefault();
      if (dragged !== null && dragged !== at) onOrder(moved(list, dragged, at));
      setDragged(null);
    },
    onContextMenu: (event: { preventDefault: () => void }) => {
      event.preventDefault();
      onRemove(list[at]!);
    },
    onKeyDown: (event: KeyboardEvent) => {
      const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key] ?? 0;
      const to = at + step;
      if (event.key === "Delete") onRemove(list[at]!);
      else if (!event.shiftKey || !step || to < 0 || to >= list.length) return;
      else onOrder(moved(list, at, to));
      event.preventDefault();
      event.stopPropagation();
    },
  });
}
