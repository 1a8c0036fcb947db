"""A brushed layer: its state, and a raster for each map that has been painted."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ..core.compose import BlendMode
from ..core.errors import NightmistError
from ..core.texels import Raster
from .commands import SetLayer, TileRef
from .types import CHANNELS, MAPS, LayerState, MapName

if TYPE_CHECKING:
    from .surface import Surface


class Layer:
    """Setting a property of a layer is a command: one undo step."""

    def __init__(self, surface: Surface, state: LayerState) -> None:
        self.surface = surface
        self.state = state
        self.rasters: dict[MapName, Raster] = {}

    def __repr__(self) -> str:
        return f"<Layer {self.state.name!r} of {self.surface.name}>"

    @property
    def id(self) -> str:
        return self.state.id

    @property
    def name(self) -> str:
        return self.state.name

    @name.setter
    def name(self, value: str) -> None:
        self.change(name=value)

    @property
    def visible(self) -> bool:
        return self.state.visible

    @visible.setter
    def visible(self, value: bool) -> None:
        self.change(visible=value)

    @property
    def opacity(self) -> float:
        return self.state.opacity

    @opacity.setter
    def opacity(self, value: float) -> None:
        self.change(opacity=value)

    @property
    def blend(self) -> BlendMode:
        return self.state.blend

    @blend.setter
    def blend(self, value: BlendMode) -> None:
        self.change(blend=value)

    def change(self, **properties: object) -> None:
        """Set several properties as one undo step."""
        try:
            after = LayerState.model_validate({**self.state.model_dump(), **properties})
        except ValueError as error:
            given = ", ".join(f"{key} = {value!r}" for key, value in properties.items())
            raise NightmistError(f"The layer {self.name} cannot take {given}.") from error
        if after != self.state:
            self.surface.document.do(SetLayer(before=self.state, after=after))

    def raster(self, name: MapName) -> Raster:
        """The raster of a map, made when first needed."""
        if name not in self.rasters:
            state = self.surface.state
            self.rasters[name] = Raster(state.width, state.height, CHANNELS[name])
        return self.rasters[name]

    def read(self, name: MapName) -> NDArray[np.uint16]:
        """The layer alone, before blending: (H, W, 4) for base_color, (H, W, 2) value and alpha for the others."""
        if name not in MAPS:
            raise NightmistError(f"A layer has no map {name!r}; it has {', '.join(MAPS)}.")
        return self.raster(name).read()

    def tiles(self) -> list[TileRef]:
        """All tiles of the layer, held in the document's pool."""
        pool = self.surface.document.pool
        return [
            TileRef(name, row, column, pool.add(tile))
            for name, raster in self.rasters.items()
            for (row, column), tile in raster.tiles.items()
        ]

    def restate(self, state: LayerState) -> None:
        """Take over a state (for commands)."""
        shows = (state.visible, state.opacity, state.blend) != (
            self.state.visible,
            self.state.opacity,
            self.state.blend,
        )
        self.state = state
        if shows:
            self.surface.mark_layer(self)
