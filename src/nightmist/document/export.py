"""Hand off: maps as PNG, and a GLB that shows the same in another viewer."""

from __future__ import annotations

import re
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ..core.errors import NightmistError
from ..core.formats.gltf_write import write_glb
from ..core.formats.pictures import write_png
from ..core.texels.encode import to_bytes
from .types import MAPS

if TYPE_CHECKING:
    from .document import Document
    from .surface import Surface

DEPTHS = {"png8": 8, "png16": 16}


def export(document: Document, folder: Path, maps: str, model: str) -> list[Path]:
    """Write all maps of all surfaces and the model into a folder; returns the paths written."""
    if model != "glb":
        raise NightmistError(f"Models are written as 'glb', not as {model!r}.")
    files = map_files(document, maps)
    files[f"{file_name(document.name)}.glb"] = glb(document)
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for name, data in files.items():
            (folder / name).write_bytes(data)
    except OSError as error:
        raise NightmistError(f"{folder} cannot be written to: {error.strerror}.") from error
    return [folder / name for name in files]


def map_files(document: Document, maps: str) -> dict[str, bytes]:
    """File name -> PNG for every map: <project>_<surface>_<map>.png, color without alpha."""
    if maps not in DEPTHS:
        raise NightmistError(f"Maps are written as 'png8' or 'png16', not as {maps!r}.")
    files = {}
    for surface in document.surfaces.values():
        for name in (*MAPS, "normal"):
            image = surface.read(name)
            if name == "base_color":
                image = image[..., :3]
            stem = f"{file_name(document.name)}_{file_name(surface.name)}_{name}"
            files[f"{stem}.png"] = write_png(to_bytes(image) if DEPTHS[maps] == 8 else image)
    return files


def glb(document: Document) -> bytes:
    """The model with its maps inside, 8 bits a channel as glTF viewers expect."""
    surfaces = document.surfaces.values()
    return write_glb(
        document.mesh, {s.name: _pictures(s) for s in surfaces}, {s.name: s.state.uv_set for s in surfaces}
    )


def _pictures(surface: Surface) -> dict[str, bytes]:
    color = surface.read("base_color")[..., :3]
    packed = np.stack(
        [np.full(color.shape[:2], 65535, np.uint16), surface.read("roughness"), surface.read("metallic")], 2
    )
    pictures = {"baseColor": write_png(to_bytes(color)), "metallicRoughness": write_png(to_bytes(packed))}
    height: NDArray[np.uint16] = surface.read("height")
    if height.min() != height.max():
        pictures["normal"] = write_png(to_bytes(surface.read("normal")))
    return pictures


def file_name(name: str) -> str:
    """A name that every file system takes."""
    return re.sub(r"[^A-Za-z0-9._-]+", "-", name).strip("-.") or "untitled"
