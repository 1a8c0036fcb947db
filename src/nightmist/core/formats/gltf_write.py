"""GLB out: the model with its UV sets, and maps as pictures inside the file."""

from __future__ import annotations

import json
import struct
from collections.abc import Collection, Mapping
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..mesh import Mesh
from ..mesh.corners import welded_corners
from .gltf_scene import Scene


class Texture(NamedTuple):
    """A PNG or JPEG, and the UV set that it lies by."""

    data: bytes
    uv_set: int = 0


#: For each surface: slot -> picture. Slots: baseColor, metallicRoughness, normal, occlusion, emissive.
Pictures = Mapping[str, Mapping[str, Texture]]


def write_glb(
    mesh: Mesh, pictures: Pictures | None = None, nodes: bool = False, left_out: Collection[int] = ()
) -> bytes:
    """A GLB with one node a part and one primitive a surface.

    Without pictures, materials carry the mesh's own factors, so the file reads back to the same mesh. nodes: parts
    hang in the nodes of the file that they came from, and their places are told from there; else from the root.
    left_out: parts that are not written, nor what only they have: materials, nodes.
    """
    return _Writer().glb(mesh, pictures or {}, nodes, left_out)


def glb_order(mesh: Mesh) -> NDArray[np.int64]:
    """(F,) the mesh's faces in the order in which `write_glb` lists them."""
    return np.lexsort((mesh.face_surface, mesh.face_part))


#: Slots that glTF keeps with the metallic-roughness model.
PAINTED = ("baseColor", "metallicRoughness")


def _pieces(mesh: Mesh) -> dict[int, list[tuple[int, NDArray[np.int64]]]]:
    """Of each part that has faces: its surfaces by number, and their faces there, both rising."""
    place = mesh.face_part.astype(np.int64) * len(mesh.surfaces) + mesh.face_surface
    order = np.argsort(place, kind="stable")
    places, starts = np.unique(place[order], return_index=True)
    found: dict[int, list[tuple[int, NDArray[np.int64]]]] = {}
    for at, faces in zip(places.tolist(), np.split(order, starts[1:]), strict=True):
        part, surface = divmod(at, len(mesh.surfaces))
        found.setdefault(part, []).append((surface, faces))
    return found


class _Writer:
    def __init__(self) -> None:
        self.binary = bytearray()
        self.views: list[dict[str, Any]] = []
        self.accessors: list[dict[str, Any]] = []
        self.images: list[dict[str, Any]] = []

    def glb(self, mesh: Mesh, pictures: Pictures, in_nodes: bool, left_out: Collection[int]) -> bytes:
        scene = Scene(mesh, in_nodes, left_out)
        pieces_of = {part: pieces for part, pieces in _pieces(mesh).items() if part not in left_out}
        used = {surface for pieces in pieces_of.values() for surface, _ in pieces}
        written = [i for i in range(len(mesh.surfaces)) if i in used or not left_out]
        materials = [self._material(mesh, i, pictures.get(mesh.surfaces[i].name, {})) for i in written]
        meshes: list[dict[str, Any]] = []
        for part, pieces in pieces_of.items():
            primitives = [
                self._primitive(mesh, faces, scene.to_part(part)) | {"material": written.index(surface)}
                for surface, faces in pieces
            ]
            scene.place(part, mesh.parts[part], len(meshes))
            meshes.append({"name": mesh.parts[part], "primitives": primitives})
        doc: dict[str, Any] = {
            "asset": {"version": "2.0", "generator": "Nightmist"},
            "scene": 0,
            "scenes": [{"nodes": scene.roots}],
            "nodes": scene.nodes,
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

    def _primitive(self, mesh: Mesh, faces: NDArray[np.int64], inward: NDArray[np.float64] | None) -> dict[str, Any]:
        """Corners that agree in everything become one vertex; faces keep their order.

        inward: the matrix from model space into the node's.
        """
        corners, normals = mesh.positions[mesh.faces[faces]], mesh.normals[faces]
        if inward is not None:
            corners = (corners @ inward[:3, :3].T + inward[:3, 3]).astype(np.float32)
            turned = normals @ np.linalg.inv(inward[:3, :3])
            normals = (turned / np.maximum(np.linalg.norm(turned, axis=2, keepdims=True), 1e-30)).astype(np.float32)
        columns = [corners, normals, *[uv[faces] for uv in mesh.uvs]]
        unique, where = welded_corners(columns)
        if inward is not None and np.linalg.det(inward[:3, :3]) < 0:
            where = np.ascontiguousarray(where.reshape(-1, 3)[:, ::-1]).ravel()
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
            "mode": 4,
        }

    def _material(self, mesh: Mesh, index: int, pictures: Mapping[str, Texture]) -> dict[str, Any]:
        look = mesh.surfaces[index]
        name, rest = look.name, look.untouched
        textures = {slot: self._texture(f"{name} {slot}", picture) for slot, picture in pictures.items()}
        pbr: dict[str, Any] = {f"{slot}Texture": textures.pop(slot) for slot in PAINTED if slot in textures}
        color = [1.0, 1.0, 1.0] if "baseColorTexture" in pbr else [*look.base_color]
        pbr["baseColorFactor"] = [*color, rest.alpha * (1.0 if "baseColorTexture" in pbr else look.opacity)]
        pbr["roughnessFactor"], pbr["metallicFactor"] = (
            (1.0, 1.0) if "metallicRoughnessTexture" in pbr else (look.roughness, look.metallic)
        )
        material: dict[str, Any] = {"name": name, "pbrMetallicRoughness": pbr}
        material.update({f"{slot}Texture": texture for slot, texture in textures.items()})
        if "normal" in textures and rest.normal_scale != 1:
            textures["normal"]["scale"] = rest.normal_scale
        if "occlusion" in textures and rest.occlusion_strength != 1:
            textures["occlusion"]["strength"] = rest.occlusion_strength
        if any(rest.emissive):
            material["emissiveFactor"] = list(rest.emissive)
        if rest.double_sided:
            material["doubleSided"] = True
        if rest.alpha_mode != "OPAQUE":
            material["alphaMode"] = rest.alpha_mode
        if rest.alpha_mode == "MASK":
            material["alphaCutoff"] = rest.alpha_cutoff
        return material

    def _texture(self, name: str, picture: Texture) -> dict[str, Any]:
        kind = "image/jpeg" if picture.data[:2] == b"\xff\xd8" else "image/png"
        self.images.append({"name": name, "mimeType": kind, "bufferView": self._view(picture.data)})
        return {"index": len(self.images) - 1, "texCoord": picture.uv_set}


def _container(text: bytes, binary: bytes) -> bytes:
    text += b" " * (-len(text) % 4)
    binary += b"\0" * (-len(binary) % 4)
    length = 12 + 8 + len(text) + 8 + len(binary)
    return b"".join(
        [struct.pack("<4sII", b"glTF", 2, length), struct.pack("<I4s", len(text), b"JSON"), text,
         struct.pack("<I4s", len(binary), b"BIN\0"), binary]
    )  # fmt: skip
