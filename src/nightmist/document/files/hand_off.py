"""Hand off: maps as PNG, and a GLB that shows the same in another viewer."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ...core.errors import NightmistError
from ...core.formats.file_names import file_name, file_names, names_by
from ...core.formats.gltf_write import Texture, write_glb
from ...core.formats.image_files import write_png
from ...core.kernels import in_two_threads
from ...core.mesh.look import SurfaceLook
from ...core.relief.combine import combined
from ...core.texels.encode import to_bytes
from ..derived.composites import VALUE_CHANNEL
from ..document import Document
from ..values import MAPS, MapName, Surface
from .kept import Kept

DEPTHS = {"png8": 8, "png16": 16}
#: How maps are called unless somebody says otherwise.
NAMES = "{project}_{surface}_{map}_{size}"
READABLE: tuple[str, ...] = (*MAPS, "normal")


def export(document: Document, folder: Path, maps: str, model: str, name: str = NAMES) -> list[Path]:
    """Write all maps of all surfaces and the model into a folder; returns the paths written."""
    if model != "glb":
        raise NightmistError(f"Models are written as 'glb', not as {model!r}.")
    files = map_files(document, maps, name)
    files[f"{file_name(document.project.name)}.glb"] = glb(document)
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for file, data in files.items():
            (folder / file).write_bytes(data)
    except OSError as error:
        raise NightmistError(f"{folder} cannot be written to: {error.strerror}.") from error
    return [folder / file for file in files]


def map_names(document: Document, template: str = NAMES) -> list[str]:
    """The files of all maps, surface by surface: READABLE, but opacity only where something is not solid.

    template: may hold {project}, {surface}, {map} and {size}: 2048, or 2048x1024.
    Raises NightmistError where it cannot be read or gives several maps one name.
    """
    document.bring_up_to_date()
    surfaces = document.surface_values()
    project, stems = file_name(document.project.name), file_names([surface.name for surface in surfaces])
    sizes = [f"{s.width}" if s.width == s.height else f"{s.width}x{s.height}" for s in surfaces]
    entries = [
        {"project": project, "surface": stem, "map": name, "size": size}
        for surface, stem, size in zip(surfaces, stems, sizes, strict=True)
        for name in _handed(document, surface)
    ]
    return names_by(template, "png", entries)


def map_files(document: Document, maps: str, template: str = NAMES) -> dict[str, bytes]:
    """File name -> PNG for every map, color without alpha; named as in `map_names`."""
    if maps not in DEPTHS:
        raise NightmistError(f"Maps are written as 'png8' or 'png16', not as {maps!r}.")
    names = iter(map_names(document, template))
    files: dict[str, bytes] = {}
    for surface in document.surface_values():
        images = {name: _read(document, surface, name) for name in _handed(document, surface)}
        images["base_color"] = images["base_color"][..., :3]
        files |= {next(names): data for data in _encoded(images, DEPTHS[maps]).values()}
    return files


def _handed(document: Document, surface: Surface) -> list[str]:
    """The maps that a surface hands off."""
    return [name for name in READABLE if name != "opacity" or not _solid(document, surface)]


def _solid(document: Document, surface: Surface) -> bool:
    """Whether nothing of a surface, which is refreshed, lets anything through."""
    return document.composite(surface).pictures["values"].least(VALUE_CHANNEL["opacity"]) == 65535


def glb(document: Document, shown_only: bool = False) -> bytes:
    """The model with its maps inside, 8 bits a channel as glTF viewers expect, and what its file had besides.

    shown_only: without hidden parts, and without maps that only those show.
    """
    mesh, left_out = document.shaded_mesh, document.project.hidden_parts if shown_only else ()
    written = np.unique(mesh.face_surface[~np.isin(mesh.face_part, left_out)])
    if not len(written):
        raise NightmistError("All parts are hidden: there is no shown part to hand off. Show one in Prepare.")
    document.bring_up_to_date()
    surfaces = [surface for surface in document.surface_values() if surface.number in written]
    pairs = zip(document.surface_values(), mesh.surfaces, strict=True)
    mesh = mesh.changed(surfaces=[_seen_through(document, surface, look) for surface, look in pairs])
    return write_glb(mesh, {s.name: _pictures(document, s) for s in surfaces}, nodes=True, left_out=left_out)


def _seen_through(document: Document, surface: Surface, look: SurfaceLook) -> SurfaceLook:
    """A material that says so where opacity was painted, in its file's way if it had one."""
    rest = look.untouched
    if rest.alpha_mode != "OPAQUE" or _solid(document, surface):
        return look
    return replace(look, untouched=rest.model_copy(update={"alpha_mode": "BLEND", "alpha": 1.0}))


def read_map(document: Document, surface: Surface, name: str) -> NDArray[np.uint16]:
    """A composited map: base_color (H, W, 4), normal (H, W, 3), the others (H, W); all uint16."""
    if name not in READABLE:
        raise NightmistError(f"There is no map {name!r}; there are {', '.join(MAPS)} and normal.")
    document.bring_up_to_date()
    return _read(document, surface, name)


def _read(document: Document, surface: Surface, name: str) -> NDArray[np.uint16]:
    """The same of what is refreshed already."""
    composite = document.composite(surface)
    if name == "normal":
        return composite.pictures["relief"].read()[..., :3].copy()
    known: MapName = name  # type: ignore[assignment]
    return composite.read(known)


def _pictures(document: Document, surface: Surface) -> dict[str, Texture]:
    color = _read(document, surface, "base_color")[..., :3]
    rest = [_read(document, surface, "roughness"), _read(document, surface, "metallic")]
    packed = np.stack([np.full(color.shape[:2], 65535, np.uint16), *rest], 2)
    kept = Kept(document, surface)
    pictures: dict[str, Texture] = {slot: kept.texture(slot) for slot in kept.slots if slot != "opacity"}
    if not _solid(document, surface) or "opacity" in kept.slots:
        color = np.dstack([color, _alpha(document, surface, kept)])
    painted = {"baseColor": color, "metallicRoughness": packed}
    height: NDArray[np.uint16] = _read(document, surface, "height")
    if height.min() != height.max():
        relief = _read(document, surface, "normal")
        painted["normal"] = combined(kept.normals(), relief) if "normal" in kept.slots else relief
    pictures.update({slot: Texture(data, surface.uv_set) for slot, data in _encoded(painted, 8).items()})
    return pictures


def _alpha(document: Document, surface: Surface, kept: Kept) -> NDArray[np.uint16]:
    """(H, W): what was painted, of what the file's own picture lets be seen."""
    painted = _read(document, surface, "opacity")
    if "opacity" not in kept.slots:
        return painted
    return np.rint(painted * (kept.opacity() / 65535)).astype(np.uint16)


def _encoded(images: dict[str, NDArray[np.uint16]], bits: int) -> dict[str, bytes]:
    """PNG of each; two at a time, as nearly all of a hand-off's time goes into this."""
    names, made = list(images), dict.fromkeys(images, b"")

    def encode(first: int, last: int) -> None:
        for name in names[first:last]:
            made[name] = write_png(to_bytes(images[name]) if bits == 8 else images[name])

    in_two_threads(len(names), encode, 2)
    return made
