"""The same stroke in stacks of 1, 8 and 30 painted layers, the painted one in the middle: it should hardly cost more.

No library stands beside it: each stack is compared with the single layer of the same run. A stroke counts from its
press until what it left is shown as it stays; "first" is one on a layer that was not painted on just before. "Shown" is
until it is seen: what was composited roughly while it was drawn becomes exact half a second later, when nobody draws.
"""

from __future__ import annotations

from collections.abc import Callable

import nightmist as nm
from nightmist.core.compose import BlendMode
from nightmist.demo.finishes import shipped_finish
from nightmist.document.api_stack import Layer
from nightmist.studio.client_updates import ClientUpdates

from .dab import flat_mesh
from .measure import best_of
from .whole_stroke import CAMERA, PATH, Screen, draw_path

MODES: tuple[BlendMode, ...] = ("normal", "multiply", "screen")
WANTED = 1.3
FINISHES = ("Concrete", "Rust", "Old paint")

#: A stroke on the layer painted last, one on another, and the first until it is seen.
Drawing = tuple[Callable[[], None], Callable[[], None], Callable[[], None]]


def main(quick: bool = False) -> None:
    for side in (2048,) if quick else (2048, 4096):
        print(f"growth: {len(PATH)} samples two at a time, r = 30 px, {side} map, layers all painted")
        counts = (1, 3) if quick else (1, 8, 30)
        stacks = {f"{count:2} layers": _stroke(side, count) for count in counts}
        nodes = 5 if quick else 30
        stacks[f"{nodes:2} nodes, with groups, masks, washes, adjustments"] = _stroke_among_all_kinds(side, nodes)
        for word, pick in (("again", 0), ("first", 1), ("shown", 2)):
            seconds = best_of(1 if quick else 15, *(each[pick] for each in stacks.values()))
            for what, taken in zip(stacks, seconds, strict=True):
                growth = taken / seconds[0]
                fits = "ok" if growth <= WANTED else "ABOVE"
                print(f"  {word}, {what}: {taken * 1000:6.1f} ms, {growth:.2f} times one"
                      f" (wanted: at most {WANTED}) {fits}")  # fmt: skip


def _stroke(side: int, count: int) -> Drawing:
    """In a stack of brushed layers."""
    document = nm.Document.from_mesh(flat_mesh(), "flat", (side, side))
    surface = document.surfaces["flat"]
    layers = [surface.layers.add("brushed") for _ in range(count)]
    for number, layer in enumerate(layers):
        ends = (
            nm.Pigment(base_color=f"#{40 + 6 * number:02x}8060"),
            nm.Pigment(base_color=f"#20{200 - 5 * number:02x}ff"),
        )
        document.gradient(layer, (0, 0, 0), (1, 1, 0), ends)
        layer.opacity, layer.blend = 0.5, MODES[number % len(MODES)]
    return _measured(document, layers[count // 2])


def _stroke_among_all_kinds(side: int, count: int) -> Drawing:
    """The same in a stack of nodes of every kind: finishes with masks, meeting by height, adjustments, groups."""
    document = nm.Document.from_mesh(flat_mesh(), "flat", (side, side))
    surface = document.surfaces["flat"]
    ends = (nm.Pigment(base_color="#806040"), nm.Pigment(base_color="#4060ff"))
    brushed = []
    for number in range(count // 5):
        finish = surface.layers.add_finish(shipped_finish(FINISHES[number % len(FINISHES)]))
        document.gradient(finish.add_mask(), (0, 0, 0), (1, 1, 0))
        finish.mix = nm.MixByHeight(softness=0.2) if number % 2 else None
        tone = surface.layers.add("adjustment", effect="tone", hue=10)
        tone.opacity = 0.5
        layer = surface.layers.add("brushed")
        document.gradient(layer, (0, 0, 0), (1, 1, 0), ends)
        layer.opacity, layer.blend = 0.5, MODES[number % len(MODES)]
        surface.layers.group([tone, layer]).opacity = 0.7
        brushed.append(surface.layers.add("brushed"))
        document.gradient(brushed[-1], (0, 0, 0), (1, 1, 0), ends)
        brushed[-1].opacity = 0.4
    return _measured(document, brushed[len(brushed) // 2])


def _measured(document: nm.Document, target: Layer) -> Drawing:
    document.refresh()
    surface = document.surfaces["flat"]
    screen = ClientUpdates(Screen())

    def shown() -> None:
        drawn = document.begin_stroke(
            {"flat": target}, CAMERA, nm.Tip(radius=30, hardness=0.4), nm.Pigment(base_color="#7d3d1f")
        )
        draw_path(document, drawn, surface.value, screen)
        document.finish_stroke(drawn)
        document.refresh(thoroughly=False)

    def draw() -> None:
        shown()
        document.refresh()

    def first() -> None:
        document.programs.forget(surface.id)
        document.edition += 1
        draw()

    return draw, first, shown
