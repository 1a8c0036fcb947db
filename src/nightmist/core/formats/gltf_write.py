"""GLB out: the model with its UV sets, and maps as pictures inside the file."""

from __future__ import annotations

import json
import struct
from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..mesh import Mesh
from ..mesh.corners import welded_corners

#: For each surface: glTF picture slot -> PNG bytes. Slots: baseColor, metallicRoughness, normal.
Pictures = Mapping[str, Mapping[str, bytes]]


def write_glb(mesh: Mesh, pictures: Pictures | None = None, uv_sets: Mapping[str, int] | None = None) -> bytes:
    """A GLB with one node a part and one primitive a surface.

    Without pictures, materials carry the mesh's own factors, so the file reads back to the same mesh.
    uv_sets: the UV set that a surface's pictures are made for; 0 unless named.
    """
    return _Writer(uv_sets or {}).glb(mesh, pictures or {})


def glb_order(mesh: Mesh) -> NDArray[np.int64]:
    """(F,) the mesh's faces in the order in which `write_glb` lists them."""
    return np.lexsort((mesh.face_surface, mesh.face_part))


class _Writer:
    def __init__(self, uv_sets: Mapping[str, int]) -> None:
        self.uv_sets = uv_sets
        self.binary = bytearray()
        self.views: list[dict[str, Any]] = []
        self.accessors: list[dict[str, Any]] = []
        self.images: list[dict[str, Any]] = []

    def glb(self, mesh: Mesh, pictures: Pictures) -> bytes:
        materials = [
            self._material(look.name, mesh, i, pictures.get(look.name, {})) for i, look in enumerate(mesh.surfaces)
        ]
        meshes: list[dict[str, Any]] = []
        nodes: list[dict[str, Any]] = []
        for part, name in enumerate(mesh.parts):
            primitives = [
                self._primitive(mesh, faces, surface)
                for surface in range(len(mesh.surfaces))
                if len(faces := np.flatnonzero((mesh.face_part == part) & (mesh.face_surface == surface)))
            ]
            if primitives:
                nodes.append({"mesh": len(meshes), "name": name})
                meshes.append({"name": name, "primitives": primitives})
        doc: dict[str, Any] = {
            "asset": {"version": "2.0", "generator": "Nightmist"},
            "scene": 0,
            "scenes": [{"nodes": list(range(len(nodes)))}],
            "nodes": nodes,
            "meshes": meshes,
            "materials": materials,
            "accessors": self.accessors,
            "bufferViews": self.views,
            "buffers": [{"byteLength": len(self.binary)}],
        }
        if self.images:
            doc["images"] = self.images
            doc["samplers"] = [{"magFilter": 9729, "minFilter": 9987, "wrapS": 10497, "wrapT": 10497}]
            doc["textures"] = [{"source": i, "sampler": 0} for i in range(len(self.images))]
        return _container(json.dumps(doc, separators=(",", ":")).encode(), bytes(self.binary))

    def _view(self, data: bytes, target: int | None = None) -> int:
        self.binary.extend(b"\0" * (-len(self.binary) % 4))
        view: dict[str, Any] = {"buffer": 0, "byteOffset": len(self.binary), "byteLength": len(data)}
        if target:
            view["target"] = target
        self.binary.extend(data)
        self.views.append(view)
        return len(self.views) - 1

    def _accessor(self, values: NDArray[Any], kind: str, bounds: bool = False) -> int:
        item: dict[str, Any] = {
            "bufferView": self._view(np.ascontiguousarray(values).tobytes(), 34963 if kind == "SCALAR" else 34962),
            "componentType": 5125 if values.dtype == np.uint32 else 5126,
            "count": len(values),
            "type": kind,
        }
        if bounds:
            item["min"] = values.min(axis=0).tolist()
            item["max"] = values.max(axis=0).tolist()
        self.accessors.append(item)
        return len(self.accessors) - 1

    def _primitive(self, mesh: Mesh, faces: NDArray[np.int64], surface: int) -> dict[str, Any]:
        """Corners that agree in everything become one vertex; faces keep their order."""
        columns = [mesh.positions[mesh.faces[faces]], mesh.normals[faces], *[uv[faces] for uv in mesh.uvs]]
        unique, where = welded_corners(columns)
        attributes = {
            "POSITION": self._accessor(unique[:, 0:3], "VEC3", bounds=True),
            "NORMAL": self._accessor(unique[:, 3:6], "VEC3"),
        }
        for k in range(len(mesh.uvs)):
            uv = unique[:, 6 + 2 * k : 8 + 2 * k]
            # Faces without UVs lie at 0, without area; a set that has none at all is left out, if none follows.
            if np.isfinite(unique[:, 6 + 2 * k :]).any():
                attributes[f"TEXCOORD_{k}"] = self._accessor(np.nan_to_num(uv), "VEC2")
        return {
            "attributes": attributes,
            "indices": self._accessor(where, "SCALAR"),
            "material": surface,
            "mode": 4,
        }

    def _material(self, name: str, mesh: Mesh, index: int, pictures: Mapping[str, bytes]) -> dict[str, Any]:
        look = mesh.surfaces[index]
        if not pictures:
            return {
                "name": name,
                "pbrMetallicRoughness": {
                    "baseColorFactor": [*look.base_color, 1.0],
                    "roughnessFactor": look.roughness,
                    "metallicFactor": look.metallic,
                },
            }
        material: dict[str, Any] = {
            "name": name,
            "pbrMetallicRoughness": {"roughnessFactor": 1.0, "metallicFactor": 1.0},
        }
        for slot, data in pictures.items():
            self.images.append({"name": f"{name} {slot}", "mimeType": "image/png", "bufferView": self._view(data)})
            texture = {"index": len(self.images) - 1, "texCoord": self.uv_sets.get(name, 0)}
            if slot == "normal":
                material["normalTexture"] = texture
            else:
                material["pbrMetallicRoughness"][f"{slot}Texture"] = texture
        return material


def _container(text: bytes, binary: bytes) -> bytes:
    text += b" " * (-len(text) % 4)
    binary += b"\0" * (-len(binary) % 4)
    length = 12 + 8 + len(text) + 8 + len(binary)
    return b"".join(
        [struct.pack("<4sII", b"glTF", 2, length), struct.pack("<I4s", len(text), b"JSON"), text,
         struct.pack("<I4s", len(binary), b"BIN\0"), binary]
    )  # fmt: skip
