"""Tools that lay texels on: from what a stroke covers, and what lay there before it, to what lies there now."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from ...core.brush import Coverage
from ...core.texels import TileArea
from ...core.tools import composite_over, erase
from ...core.tools.apply import NO_PICTURES, ONE_VALUE
from ..values import Load, Tip
from .dabs import DabPath
from .ground import Target


class LaysOn(Protocol):
    """Works from all of a stroke's coverage at once, so that laying the same again leaves the same."""

    def lay(self, target: Target, coverage: Coverage, ahead: Coverage, area: TileArea) -> TileArea:
        """Bring a target up to date in an area; returns where it may have changed.

        ahead: coverage of what is only guessed of the stroke's end; the greater of both counts.
        """
        ...


class PigmentTool:
    """Lays values on: the pigment's, or a mask's; of colors, those of the tip where it has its own."""

    def __init__(self, values: Load, tip: Tip, path: object) -> None:
        """path: of the stroke, whose dabs each have a color of their own where the tip strews them."""
        self.values, self.tip = values, tip
        self.strewn = path if isinstance(path, DabPath) and tip.jitter_color > 0 else None

    def lay(self, target: Target, coverage: Coverage, ahead: Coverage, area: TileArea) -> TileArea:
        """As LaysOn says."""
        target.prepare(area.tiles)
        numbers, colors, pictures = NO_PICTURES, ONE_VALUE, NO_PICTURES
        if target.name == "base_color" and coverage.colors:
            pictures = coverage.colors.addresses
        elif target.name == "base_color" and self.strewn:
            numbers, colors = coverage.numbers.addresses, self.strewn.colors(self.values["base_color"])
        composite_over(
            area, coverage.tiles.addresses, target.before_addresses, target.after_addresses, self.values[target.name],
            self.tip.blend, numbers, colors, pictures, ahead=ahead.tiles.addresses, keep_alpha=target.keeps_alpha,
        )  # fmt: skip
        return area


class PictureTool:
    """Lays texels on that come from elsewhere, as a table of tiles tells for each target."""

    def __init__(self, source: TexelSource, tip: Tip) -> None:
        self.source, self.tip = source, tip

    def lay(self, target: Target, coverage: Coverage, ahead: Coverage, area: TileArea) -> TileArea:
        """As LaysOn says."""
        target.prepare(area.tiles)
        pictures = _looked_up(self.source, target, coverage, ahead, area)
        nothing = (0.0,) * (target.raster.channels - 1)
        composite_over(
            area, coverage.tiles.addresses, target.before_addresses, target.after_addresses, nothing, self.tip.blend,
            pictures=pictures, ahead=ahead.tiles.addresses, keep_alpha=target.keeps_alpha,
        )  # fmt: skip
        return area


class TexelSource(Protocol):
    """Where texels come from that are laid on, or thin what is taken away: a place beside, a stencil."""

    def pictures(self, target: Target, coverage: Coverage, area: TileArea) -> NDArray[np.int64]:
        """(all tiles of the map,) addresses of tiles like the target's, true where an area is covered."""
        ...


def _looked_up(
    source: TexelSource, target: Target, coverage: Coverage, ahead: Coverage, area: TileArea
) -> NDArray[np.int64]:
    """A source's table for what is covered, and for what is guessed of the stroke's end."""
    source.pictures(target, coverage, area)
    return source.pictures(target, ahead, area)


class EraseTool:
    """Takes away what lies there, as far as a picture's texels are opaque where there is one."""

    def __init__(self, source: TexelSource | None) -> None:
        self.source = source

    def lay(self, target: Target, coverage: Coverage, ahead: Coverage, area: TileArea) -> TileArea:
        """As LaysOn says."""
        held = area.only(target.after_addresses[area.tiles] != 0)
        target.prepare(held.tiles)
        pictures = _looked_up(self.source, target, coverage, ahead, held) if self.source else NO_PICTURES
        erase(
            held, coverage.tiles.addresses, target.before_addresses, target.after_addresses, target.raster.channels,
            ahead.tiles.addresses, pictures,
        )  # fmt: skip
        return held
