"""Stencils as scripts place them: a picture's file on the screen."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Literal

from ..core.formats.bundle import read_file
from ..core.formats.image_files import read_picture, write_png
from ..core.mapping.cutout import with_alpha_of
from .api_prepare import PreparedDocument
from .values import FromGray, MapName
from .values import Stencil as StencilValue


@dataclass(frozen=True)
class Stencil:
    """A picture's file at a place of the screen: center and size in pixels, rotation in degrees with the clock.

    alpha: the file of a gray picture that says where it is opaque, in place of its own alpha. tint: the pigment instead
    of its own colors. maps: "color" for base_color, FromGray for others.
    """

    picture: str | Path
    center: tuple[float, float]
    size: tuple[float, float]
    rotation: float = 0.0
    alpha: str | Path | None = None
    tint: bool = False
    mirrored: bool = False
    limit: float = 80.0
    maps: Mapping[MapName, FromGray | Literal["color"]] = field(default_factory=dict)

    def placed(self, document: PreparedDocument, through: bool = False) -> StencilValue:
        """The same with its picture in the project."""
        by_gray = {name: each for name, each in self.maps.items() if isinstance(each, FromGray)}
        return StencilValue(
            picture=_taken(document, Path(self.picture), self.alpha), center=self.center, size=self.size,
            rotation=self.rotation, mirrored=self.mirrored, tint=self.tint, through=through, limit=self.limit,
            maps=by_gray,
        )  # fmt: skip


def _taken(document: PreparedDocument, picture: Path, alpha: str | Path | None) -> str:
    if alpha is None:
        return document.add_picture(picture)
    color = read_picture(picture.name, read_file(picture), upright=True)
    cover = read_picture(Path(alpha).name, read_file(Path(alpha)), upright=True)
    made = with_alpha_of(color, cover)
    return document.add_picture_data(f"{picture.stem} in {Path(alpha).stem}.png", write_png(made))
