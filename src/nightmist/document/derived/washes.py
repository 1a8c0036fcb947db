"""What washes lay on each map, worked out tile by tile as tiles are composited, within a budget."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from ...core.errors import NightmistError
from ...core.formats.image_files import color_spread
from ...core.kernels import addresses_in
from ...core.mapping.frames import inverse_of, turn_of
from ...core.mapping.projections import Laying, lay_pictures, placing_of
from ...core.mapping.pyramid import Pyramid, gray_of, pyramid_of
from ...core.mapping.sheets import Sheets, sheets_of
from ...core.texels import TILE, Raster
from ...core.texels.raster import Start, Tile, TileKey, some_shown, tile_key
from ..values import CHANNELS, Frame, MapName, MaskOf, Picture, Surface, Wash
from .cache import Cache
from .laid import LaidTiles, owners
from .layouts import Layout
from .pictures import cut_out
from .pool import Pool

#: Bounds, for what lies by UV and needs none.
ANYWHERE = (np.zeros(3), np.ones(3))
#: How much channels of a picture may differ, of 65535, and it still counts as gray.
GRAY_WITHIN = 514
#: Bytes of tiles that are kept from one time to the next, of all washes.
MOST_KEPT = 256 << 20


class LaidPictures(LaidTiles[MapName]):
    """Pictures laid on maps of a surface by one mapping."""

    def __init__(
        self, layout: Layout, size: tuple[int, int], names: Sequence[MapName], sheets: Sheets, laying: Laying
    ) -> None:
        """sheets: of one picture for each map."""
        super().__init__(size, names)
        self.layout, self.sheets, self.laying = layout, sheets, laying

    def _work_out(self, tiles: NDArray[np.int32]) -> None:
        rasters = list(self.rasters.values())
        made = [np.zeros((len(tiles), TILE, TILE, raster.channels), np.uint16) for raster in rasters]
        addresses = np.stack([addresses_in(one) for one in made], axis=1)
        lay_pictures(
            self.layout.ownership, self.layout.smooth_normals, self.sheets, self.laying, tiles, addresses,
            [raster.channels for raster in rasters],
        )  # fmt: skip
        for raster, pixels in zip(rasters, made, strict=True):
            raster.put_all(tiles, pixels, some_shown(pixels))


class Washes:
    """Of each wash what it lays, found by what that follows from."""

    def __init__(self, cache: Cache, arrays: Pool, tiles: Pool) -> None:
        self.cache, self.arrays, self.tiles = cache, arrays, tiles
        self.used: list[LaidPictures] = []

    def rasters(
        self, wash: Wash, surface: Surface, layout: Layout, pictures: Mapping[str, Picture],
        bounds: tuple[NDArray[np.float64], NDArray[np.float64]],
    ) -> dict[MapName, Raster]:  # fmt: skip
        """What a wash lays on each map. bounds: of the model, which pictures without a frame are laid around."""
        found = {name: self._plain(surface, name, value) for name, value in wash.pigment.values().items()}
        images = {name: pictures[key] for name, key in wash.images.items() if key in pictures}
        if images:
            laid = self._laid(wash, surface, layout, images, bounds)
            self.used.append(laid)
            found.update(laid.rasters)
        return found

    def lazy(self, rasters: Iterable[Raster]) -> list[LaidTiles[MapName]]:
        """Those of some rasters whose tiles come when they are asked for."""
        return owners(self.used, rasters)

    def settle(self) -> None:
        """Nothing is being drawn: tiles beyond the budget are let go."""
        held = list({id(laid): laid for laid in self.used}.values())
        self.used = held
        if sum(laid.nbytes for laid in held) > MOST_KEPT:
            for laid in held:
                laid.let_go()
            self.used = []

    def _plain(self, surface: Surface, name: MapName, value: tuple[float, ...]) -> Raster:
        """One value everywhere: all tiles are the same array."""

        def make() -> Raster:
            raster = Raster(*surface.size, CHANNELS[name])
            tile: Tile = np.empty((TILE, TILE, raster.channels), np.uint16)
            tile[...] = [round(v * 65535) for v in (*value, 1.0)]
            for number in range(raster.addresses.size):
                raster.put(tile_key(number, raster.addresses.shape[1]), tile)
            return raster

        return self.cache.get(("plain", surface.size, name, value), make)

    def _laid(
        self, wash: Wash, surface: Surface, layout: Layout, images: Mapping[MapName, Picture],
        bounds: tuple[NDArray[np.float64], NDArray[np.float64]],
    ) -> LaidPictures:  # fmt: skip
        mapping = wash.mapping
        around = None if mapping.frame or mapping.shape == "uv" else tuple(np.concatenate(bounds).tolist())
        files = tuple((name, picture.looks) for name, picture in images.items())
        key = ("wash", layout.key, files, mapping.model_dump_json(), around)

        def make() -> LaidPictures:
            frame = mapping.frame or frame_around(*bounds)
            laying = Laying(
                mapping.shape, inverse_of(frame.position, frame.size, frame.turn), turn_of(frame.turn).T,
                placing_of(mapping.repeat, mapping.turn, mapping.offset), mapping.wrap, mapping.sharpness,
            )  # fmt: skip
            return LaidPictures(layout, surface.size, list(images), self._sheets(images), laying)

        return self.cache.get(key, make, lambda laid: laid.nbytes)

    def _sheets(self, images: Mapping[MapName, Picture]) -> Sheets:
        """Pictures side by side, as a color or as one value each."""
        files = tuple((name == "base_color", picture.looks) for name, picture in images.items())

        def make() -> Sheets:
            return sheets_of([self.pyramid(picture, name != "base_color") for name, picture in images.items()])

        return self.cache.get(("sheets", files), make, lambda made: made.nbytes)

    def mask_start(
        self, mask: MaskOf, surface: Surface, layout: Layout, pictures: Mapping[str, Picture]
    ) -> Callable[[TileKey], Start]:
        """Of each tile the shares that a mask has where nothing is painted on it."""
        picture = pictures.get(mask.picture or "")
        if picture is None:
            return lambda key: mask.start
        wash = Wash(id="", parent="", order=0, name="-")
        laid = self._laid(wash, surface, layout, {"roughness": picture}, ANYWHERE)
        raster = laid.rasters["roughness"]

        def start(key: TileKey) -> Start:
            laid.hold(np.array([key[0] * raster.addresses.shape[1] + key[1]], np.int32))
            tile = raster.tiles.get(key)
            if tile is None:
                return mask.start
            light = tile[..., 0] / 65535
            alpha = tile[..., 1] / 65535
            return np.asarray(mask.start + ((1 - light if mask.inverted else light) - mask.start) * alpha)

        return start

    def pyramid(self, picture: Picture, gray: bool) -> Pyramid:
        """A picture's levels, as a color or as one value."""

        def make() -> Pyramid:
            if not gray:
                return pyramid_of(self.picture(picture), gray)
            return pyramid_of(self._not_multiplied(picture), gray, picture.cutout.times)

        return self.cache.get(("pyramid", picture.looks, gray), make, lambda made: made.nbytes)

    def grays(self, picture: Picture) -> Pyramid:
        """The levels of a picture as a color that is its gray."""
        times = picture.cutout.times
        if times <= 1 or self.looks(picture)[0]:
            return self.pyramid(picture, gray=False)

        def make() -> Pyramid:
            pixels = self._not_multiplied(picture).copy()
            pixels[..., :3] = np.rint(gray_of(pixels, times))[..., None]
            return pyramid_of(pixels, gray=False)

        return self.cache.get(("grays", picture.looks), make, lambda made: made.nbytes)

    def _not_multiplied(self, picture: Picture) -> NDArray[np.uint16]:
        """A picture before its factor: a value is multiplied, not the channels that it is made from, of which one may
        be full long before.
        """
        return self.picture(picture.but(cutout=picture.cutout.but(times=1.0)))

    def looks(self, picture: Picture) -> tuple[bool, bool]:
        """Whether a picture is gray, and whether it is opaque."""

        def look() -> tuple[bool, bool]:
            pixels = self.picture(picture)
            return color_spread(pixels) <= GRAY_WITHIN, bool((pixels[..., 3] == 65535).all())

        return self.cache.get(("looks", picture.looks), look)

    def picture(self, picture: Picture) -> NDArray[np.uint16]:
        """(h, w, 4) a picture of the project, upright, as it is cut out."""
        return cut_out(self.arrays, self.tiles, picture)


def frame_around(low: NDArray[np.float64], high: NDArray[np.float64]) -> Frame:
    """A cube around bounds, so that a picture is as wide as the model is long."""
    side = float((high - low).max())
    if side <= 0:
        raise NightmistError("The model has no extent that a picture could be laid around.")
    x, y, z = ((low + high) / 2).tolist()
    return Frame(position=(x, y, z), size=(side, side, side))
