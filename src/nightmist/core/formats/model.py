"""Reads a model in any of the formats we know, by the ending of its name."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import PurePosixPath

from ..errors import NightmistError
from ..mesh import Mesh
from .beside import name_of
from .gltf_read import read_gltf
from .obj import read_obj
from .ply import read_ply
from .stl import read_stl

MODEL_ENDINGS = (".glb", ".gltf", ".obj", ".ply", ".stl")


def read_model(path: str, files: Mapping[str, bytes]) -> Mesh:
    """Read the model at `path` out of `files` (path -> bytes); the other files are what it may refer to.

    Raises NightmistError with a sentence for the painter for anything that cannot be read.
    """
    name, data = name_of(path), files[path]
    ending = PurePosixPath(name.lower()).suffix
    if ending not in MODEL_ENDINGS:
        raise NightmistError(f"{name} is no model file known here. Use one of: {', '.join(MODEL_ENDINGS)}.")
    if not data:
        raise NightmistError(f"{name} is empty.")
    try:
        if ending in (".glb", ".gltf"):
            return read_gltf(name, data, files)
        if ending == ".obj":
            return read_obj(name, data, files)
        return read_ply(name, data) if ending == ".ply" else read_stl(name, data)
    except NightmistError:
        raise
    except (
        ValueError,
        KeyError,
        IndexError,
        TypeError,
        OverflowError,
        RecursionError,
        AttributeError,
    ) as error:
        # A damaged file can lie in more ways than can be listed; all of them end in one of these.
        raise NightmistError(f"{name} is damaged and cannot be read. Write it anew.") from error
