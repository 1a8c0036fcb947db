"""What a surface hands through of its file, brought to the UVs that the surface has now."""

from __future__ import annotations

from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ...core.formats.gltf_write import Texture
from ...core.formats.image_files import fit, read_picture, write_png
from ...core.mesh.look import UntouchedSlot
from ...core.texels.encode import to_bytes
from ...core.texels.resample import resampled, turned_normals
from ..document import Document
from ..values import KeptPicture, Surface

#: First bytes of what a GLB may hold as it is (glTF 2.0, 3.8): PNG and JPEG.
AS_IT_IS = (b"\x89PNG", b"\xff\xd8\xff")


class Kept:
    """The kept pictures of one surface.

    As long as some UV set of the model still has the UVs that a picture lies by, it goes out to the byte; else it is
    made anew for the surface's own UVs, at the size of its maps.
    """

    def __init__(self, document: Document, surface: Surface) -> None:
        self.document, self.surface = document, surface
        self.layout = document.layout(surface)
        self.slots: dict[UntouchedSlot, KeptPicture] = {kept.slot: kept for kept in surface.kept}

    def texture(self, slot: UntouchedSlot) -> Texture:
        """A picture as it goes into a GLB."""
        uv_set = self._uv_set(slot)
        data = self._file(slot)
        if uv_set is None:
            image = self.normals() if slot == "normal" else self._here(slot)[..., :3]
            return Texture(write_png(to_bytes(image)), self.surface.uv_set)
        if not data.startswith(AS_IT_IS):
            data = write_png(to_bytes(read_picture(slot, data)))
        return Texture(data, uv_set)

    def opacity(self) -> NDArray[np.uint16]:
        """(H, W): the alpha of the picture, or its gray where it has none."""
        read = read_picture("opacity", self._file("opacity"))
        return self._placed("opacity", read)[..., 3 if (read[..., 3] < 65535).any() else 0]

    def normals(self) -> NDArray[np.uint16]:
        """(H, W, 3) of the normal picture, in the frame of the surface's UVs, its scale not applied."""
        image = self._here("normal")[..., :3]
        if self._lies_here("normal"):
            return image
        own = self.layout.ownership
        corners = self.document.mesh.corners[own.faces]
        turned = turned_normals(image, own, corners, self._uv[own.faces], self._old("normal")[own.faces])
        turned[own.owner() < 0] = (32768, 32768, 65535)
        return turned

    @cached_property
    def _uv(self) -> NDArray[np.float64]:
        return self.layout.uvs.astype(np.float64)

    def _file(self, slot: UntouchedSlot) -> bytes:
        data: bytes = self.document.arrays.get(self.slots[slot].file).tobytes()
        return data

    def _old(self, slot: UntouchedSlot) -> NDArray[np.float64]:
        found: NDArray[np.float64] = self.document.arrays.get(self.slots[slot].uv).astype(np.float64)
        return found

    def _uv_set(self, slot: UntouchedSlot) -> int | None:
        """The UV set that a picture still lies by, the surface's own if that is one."""
        mesh, faces = self.document.mesh, self.layout.faces
        old = self.document.arrays.get(self.slots[slot].uv)[faces]
        sets = [self.surface.uv_set, *range(len(mesh.uvs))]
        return next((k for k in sets if k < len(mesh.uvs) and _same(mesh.uvs[k][faces], old)), None)

    def _lies_here(self, slot: UntouchedSlot) -> bool:
        return self._uv_set(slot) == self.surface.uv_set

    def _here(self, slot: UntouchedSlot) -> NDArray[np.uint16]:
        """(H, W, 4) a picture as one for the surface's maps."""
        image = read_picture(slot, self._file(slot))
        image[..., 3] = 65535
        return self._placed(slot, image)

    def _placed(self, slot: UntouchedSlot, image: NDArray[np.uint16]) -> NDArray[np.uint16]:
        if self._lies_here(slot):
            return fit(image, *self.surface.size)
        own = self.layout.ownership
        made = resampled(image, own, self._uv[own.faces], self._old(slot)[own.faces])
        return self.layout.gutter.filled(made)


def _same(uv: NDArray[np.float32], old: NDArray[np.float32]) -> bool:
    return np.array_equal(np.nan_to_num(uv), np.nan_to_num(old))
