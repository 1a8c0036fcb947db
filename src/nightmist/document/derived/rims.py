"""The rims of a document's composited maps, over all surfaces that hang together."""

from __future__ import annotations

from collections.abc import Sequence

from ...core.mesh import Mesh
from ...core.texels import TileArea
from ...core.texels.composite_picture import Picture
from ...core.texels.rim import Rim
from ...core.texels.rim_links import rim_of
from .composites import Changed, Composite, PictureName
from .layouts import Layout, Layouts, Together

#: Pictures whose texels go on over a seam. Slopes do not: they are told in the directions of the island's own map.
RIMMED: tuple[PictureName, ...] = ("color", "values")


class Rims:
    """Keeps the rims in line with the layouts, and brings those of the pictures up to date."""

    def __init__(self, layouts: Layouts) -> None:
        self.layouts = layouts
        #: What the rims of before followed from.
        self.before: Sequence[Together] = ()

    def refresh(
        self, layouts: Sequence[Layout], mesh: Mesh, composites: Sequence[Composite], changed: Sequence[Changed]
    ) -> list[Changed]:
        """After pictures, gutters included, have changed; all lists go by the surfaces' numbers.

        Returns what changed with the rims.
        """
        found = [dict(one) for one in changed]
        groups = self.layouts.together(layouts, mesh)
        if self.before and groups is not self.before:
            before = set(self.before)
            for number, group in enumerate(groups):
                # Where other texels are rims now, what was one before has to be gutter again.
                if group not in before:
                    _without_rim(layouts[number], composites[number], found[number])
        self.before = groups
        for name in RIMMED:
            stale = {number: areas[name] for number, areas in enumerate(found) if name in areas and len(areas[name])}
            for group in {groups[number][0]: groups[number] for number in stale}.values():
                numbers, _ = group
                areas = {place: stale[number] for place, number in enumerate(numbers) if number in stale}
                pictures = {place: composites[number].pictures[name] for place, number in enumerate(numbers)}
                if _all_one_color(list(pictures.values())):
                    continue
                spread = self.rim(group, layouts, mesh).spread(pictures, areas, together=name == "color")
                for place, area in spread.items():
                    number = numbers[place]
                    found[number][name] = stale.get(number, TileArea.empty()).joined(area)
        return found

    def find_all(self, layouts: Sequence[Layout], mesh: Mesh) -> None:
        """Find the rims of all surfaces, so that no change has to wait for them."""
        for group in dict.fromkeys(self.layouts.together(layouts, mesh)):
            self.rim(group, layouts, mesh)

    def rim(self, group: Together, layouts: Sequence[Layout], mesh: Mesh) -> Rim:
        """The rims of surfaces that hang together."""

        def make() -> Rim:
            own = [layouts[number].ownership for number in group[0]]
            gutters = [layouts[number].gutter for number in group[0]]
            return rim_of(mesh, group[0], own, gutters, *self.layouts.texels(layouts, mesh))

        return self.layouts.cache.get(("rim", group), make, lambda rim: rim.nbytes)


def _all_one_color(pictures: Sequence[Picture]) -> bool:
    """Whether nothing differs over any seam, as long as nothing is painted."""
    return all(picture.one_color and (picture.colors[0] == pictures[0].colors[0]).all() for picture in pictures)


def _without_rim(layout: Layout, composite: Composite, areas: Changed) -> None:
    for name in RIMMED:
        area = layout.spread(composite.pictures[name], composite.everywhere)
        areas[name] = area.joined(areas.get(name, TileArea.empty()))
