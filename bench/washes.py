"""Pictures laid over a whole map against `cv2.remap` of as many 16-bit RGBA pixels, bilinear, without mip levels.

Three ways are three pictures: there the library works as often as a ball needs sides, one and a half times.
"""

from __future__ import annotations

from functools import partial

import cv2
import numpy as np

from nightmist.core.kernels import addresses_in
from nightmist.core.mapping.frames import inverse_of
from nightmist.core.mapping.projections import SHAPES, Laying, lay_pictures, placing_of
from nightmist.core.mapping.pyramid import pyramid_of
from nightmist.core.mapping.sheets import sheets_of
from nightmist.core.mesh.bodies import practice_body
from nightmist.core.texels.ownership import normals_over, own_texels

from .measure import best_of

#: Sides that a texel of a ball shows at once, three ways, on average.
SIDES = 1.5


def main(quick: bool = False) -> None:
    side = 512 if quick else 2048
    mesh = practice_body("sphere", 1.0)
    uv = mesh.uvs[0]
    own = own_texels(mesh, np.arange(len(mesh.faces)), uv, side, side)
    normals, tiles = normals_over(mesh, uv, own), own.used_tiles
    rng = np.random.default_rng(1)
    picture = rng.integers(0, 65536, (1024, 1024, 4), dtype=np.uint16)
    picture[..., 3] = 65535
    sheets = sheets_of([pyramid_of(picture, gray=False)])
    made = np.zeros((len(tiles), 64, 64, 4), np.uint16)
    # As many texels in rows that are short enough for the library.
    across, down = np.meshgrid(np.arange(4096) % 64, np.arange(len(tiles)) % 1000)
    nothing = np.zeros(0, np.float32)
    places = (np.stack([across, down], 2) + 0.3).astype(np.float32)
    print(f"washes: a picture of 1024 laid over the {made.size // 4:,} texels of a ball's map of {side}")

    def remap(times: float) -> None:
        for share in (1.0, times - 1):
            some = places[: int(len(places) * share)]
            if len(some):
                cv2.remap(picture, some, nothing, cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP)

    for shape in SHAPES:
        frame = inverse_of((0, 0, 0), (2, 2, 2), (0, 0, 0))
        laying = Laying(shape, frame, np.eye(3), placing_of((3, 3), 0, (0, 0)))
        lay = partial(lay_pictures, own, normals, sheets, laying, tiles, addresses_in(made)[:, None], [4])
        ours, theirs = best_of(1 if quick else 3, lay, partial(remap, SIDES if shape == "triplanar" else 1.0))
        print(f"  {shape}: {ours * 1000:6.1f} ms, {ours / theirs:.2f} times cv2.remap ({theirs * 1000:.1f} ms)")
