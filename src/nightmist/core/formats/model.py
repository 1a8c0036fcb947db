"""Reads a model in any of the formats we know, by the ending of its name."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import PurePosixPath

import numpy as np

from ..errors import NightmistError
from ..mesh import Mesh
from .beside import name_of
from .gltf_read import read_gltf
from .obj import read_obj
from .ply import read_ply
from .stl import read_stl

#: Of a model's size, above which rounding shows on maps of the usual sizes.
ROUNDED = 1 / 20_000
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
        mesh = _read(name, ending, data, files)
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
    mesh.notes.extend(_far_away(mesh, name))
    return mesh


def _read(name: str, ending: str, data: bytes, files: Mapping[str, bytes]) -> Mesh:
    if ending in (".glb", ".gltf"):
        return read_gltf(name, data, files)
    if ending == ".obj":
        return read_obj(name, data, files)
    return read_ply(name, data) if ending == ".ply" else read_stl(name, data)


def _far_away(mesh: Mesh, name: str) -> list[str]:
    """A sentence where a model lies so far from the middle of its space that single precision bends its shape."""
    low, high = mesh.positions.min(axis=0).astype(np.float64), mesh.positions.max(axis=0).astype(np.float64)
    farthest = np.maximum(np.abs(low), np.abs(high)).max()
    step = float(np.spacing(np.float32(farthest)))
    if step < ROUNDED * np.linalg.norm(high - low):
        return []
    return [
        f"{name} lies {farthest:,.0f} units from the middle of its space, where places are rounded to {step:.2g}: its"
        " shape and its UVs suffer. Move it to the middle, and bring it in again."
    ]
