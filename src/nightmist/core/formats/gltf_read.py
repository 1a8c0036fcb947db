"""glTF 2.0 and GLB in. Every number of the file is doubted before it is used."""

from __future__ import annotations

import base64
import json
import struct
from collections.abc import Mapping
from typing import Any
from urllib.parse import unquote

import numpy as np
from numpy.typing import NDArray

from ..errors import NightmistError
from ..mesh.look import SceneNode, SurfaceLook
from ..mesh.mesh import MAX_FACES, Mesh, build_mesh
from ..mesh.polygons import cut_strip
from ..names import clean_name, told_of
from .beside import given, name_of
from .gltf_materials import Materials

COMPONENT = {5120: "i1", 5121: "u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
WIDTH = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}
MAX_DEPTH = 64
MAX_UV_SETS = 8
#: Extensions without which a file's faces and UVs are read as they are meant; those of materials are so as well.
READ = {"KHR_texture_transform", "KHR_mesh_quantization", "EXT_texture_webp"}
#: Things of a scene that are no part of a model to paint.
LEFT_OUT = {"animations": "animations", "skins": "bones", "cameras": "cameras"}
#: The same, by the extension that brings them.
LEFT_OUT_EXTENSIONS = {"KHR_lights_punctual": "lights", "KHR_materials_variants": "variants of materials"}
#: Nodes that stand for many of their kind.
REPEATS = "EXT_mesh_gpu_instancing"


def read_gltf(name: str, data: bytes, beside: Mapping[str, bytes]) -> Mesh:
    """A model from the bytes of a .glb or .gltf; `beside` holds the files it may refer to by name."""
    return _Reader(name, data, beside).mesh()


class _Reader:
    def __init__(self, name: str, data: bytes, beside: Mapping[str, bytes]) -> None:
        self.name, self.beside = name, beside
        self.binary: bytes | None = None
        text = self._unpack_glb(data) if data[:4] == b"glTF" else data
        try:
            self.doc: dict[str, Any] = json.loads(text)
        except ValueError as error:
            raise NightmistError(f"{name} is damaged: its description is not JSON ({error}).") from error
        if not isinstance(self.doc, dict) or not str(self.doc.get("asset", {}).get("version", "")).startswith("2"):
            raise NightmistError(f"{name} is not glTF 2.0.")
        required = {str(each) for each in self.doc.get("extensionsRequired", [])} - READ
        if unknown := {each for each in required if not each.startswith("KHR_materials_")}:
            raise NightmistError(
                f"{name} needs glTF extensions that are not read here: {', '.join(sorted(unknown))}. Write it without"
                " them, uncompressed."
            )
        self.buffers: dict[int, bytes] = {}
        #: Parts with points and lines.
        self.without_faces: list[str] = []

    def _unpack_glb(self, data: bytes) -> bytes:
        if len(data) < 20:
            raise NightmistError(f"{self.name} is cut off: a GLB has at least 20 bytes, this one {len(data)}.")
        _, version, length = struct.unpack_from("<4sII", data)
        if version != 2:
            raise NightmistError(f"{self.name} is GLB version {version}; only version 2 is read.")
        if length > len(data):
            raise NightmistError(f"{self.name} is cut off: it should have {length:,} bytes but has {len(data):,}.")
        at, text = 12, b""
        while at + 8 <= length:
            size, kind = struct.unpack_from("<I4s", data, at)
            if at + 8 + size > length:
                raise NightmistError(f"{self.name} is damaged: a chunk of {size:,} bytes reaches past its end.")
            chunk = data[at + 8 : at + 8 + size]
            if kind == b"JSON" and not text:
                text = chunk
            elif kind == b"BIN\0" and self.binary is None:
                self.binary = chunk
            at += 8 + size
        return text

    def _link(self, uri: str, what: str) -> bytes:
        """Bytes behind a URI: inside the file or a file given with it, never anywhere else."""
        if uri.startswith("data:"):
            head, _, body = uri.partition(",")
            return base64.b64decode(body, validate=True) if head.endswith(";base64") else unquote(body).encode()
        if "://" in uri:
            raise NightmistError(f"{self.name} refers to {uri} on another machine; give that {what} as a file instead.")
        data = given(self.beside, unquote(uri))
        if data is None:
            raise NightmistError(f"{self.name} needs the {what} {name_of(unquote(uri))}, which was not given with it.")
        return data

    def item(self, kind: str, index: Any) -> dict[str, Any]:
        items = self.doc.get(kind, [])
        if not isinstance(index, int) or not 0 <= index < len(items):
            raise NightmistError(f"{self.name} is damaged: it refers to {kind} {index}, but has {len(items)}.")
        return dict(items[index])

    def _buffer(self, index: int) -> bytes:
        if index not in self.buffers:
            buffer = self.item("buffers", index)
            if "uri" in buffer:
                self.buffers[index] = self._link(buffer["uri"], "data file")
            elif index == 0 and self.binary is not None:
                self.buffers[index] = self.binary
            else:
                raise NightmistError(f"{self.name} is damaged: buffer {index} has no data.")
        return self.buffers[index]

    def _view(self, index: int) -> tuple[bytes, int]:
        view = self.item("bufferViews", index)
        data = self._buffer(view.get("buffer", 0))
        start, length = int(view.get("byteOffset", 0)), int(view["byteLength"])
        if start < 0 or length < 0 or start + length > len(data):
            raise NightmistError(f"{self.name} is damaged: a view of {length:,} bytes reaches past its buffer.")
        return data[start : start + length], int(view.get("byteStride", 0))

    def accessor(self, index: int) -> NDArray[np.float64]:
        """(count, width) float64 of an accessor, normalized and sparse ones resolved."""
        item = self.item("accessors", index)
        dtype, width, count = (
            np.dtype(COMPONENT[item["componentType"]]),
            WIDTH[item["type"]],
            int(item["count"]),
        )
        if not 0 <= count <= 3 * MAX_FACES:
            raise NightmistError(f"{self.name} has an accessor of {count:,} items; that is too many.")
        if "bufferView" in item:
            data, stride = self._view(item["bufferView"])
            values = self._strided(data, int(item.get("byteOffset", 0)), stride, count, width, dtype)
        else:
            values = np.zeros((count, width), dtype)
        if "sparse" in item:
            values = self._with_sparse(values, item["sparse"])
        found: NDArray[np.float64] = values.astype(np.float64)
        if item.get("normalized") and dtype.kind != "f":
            found = np.maximum(found / np.iinfo(dtype).max, -1.0)
        return found

    def _strided(
        self, data: bytes, start: int, stride: int, count: int, width: int, dtype: np.dtype[Any]
    ) -> NDArray[Any]:
        stride = stride or dtype.itemsize * width
        if (
            start < 0
            or stride < dtype.itemsize * width
            or (count and start + stride * (count - 1) + dtype.itemsize * width > len(data))
        ):
            raise NightmistError(
                f"{self.name} is damaged: {count:,} items do not fit into their view of {len(data):,} bytes."
            )
        return np.ndarray((count, width), dtype, data, start, (stride, dtype.itemsize)).copy()

    def _with_sparse(self, values: NDArray[Any], sparse: dict[str, Any]) -> NDArray[Any]:
        count = int(sparse["count"])
        where, change = sparse["indices"], sparse["values"]
        data, _ = self._view(where["bufferView"])
        index = self._strided(
            data, int(where.get("byteOffset", 0)), 0, count, 1, np.dtype(COMPONENT[where["componentType"]])
        )
        data, _ = self._view(change["bufferView"])
        new = self._strided(data, int(change.get("byteOffset", 0)), 0, count, values.shape[1], values.dtype)
        values[index[:, 0].astype(np.int64)] = new
        return values

    def mesh(self) -> Mesh:
        materials = Materials(self)
        looks = [materials.look(i) for i in range(len(self.doc.get("materials", [])))]
        plain = len(looks)
        looks.append(SurfaceLook("surface"))
        pieces: list[_Piece] = []
        parts: list[str] = []
        nodes: list[SceneNode] = []
        for node, local, matrix, parent in self._placed():
            nodes.append(SceneNode(clean_name(str(node.get("name") or "")), parent, tuple(local.ravel().tolist())))
            if "mesh" not in node:
                continue
            nodes[-1] = nodes[-1]._replace(part=len(parts))
            mesh = self.item("meshes", node["mesh"])
            part = len(parts)
            parts.append(str(node.get("name") or mesh.get("name") or f"part {part + 1}")[:80])
            for primitive in mesh.get("primitives", []):
                if primitive.get("mode", 4) not in (4, 5, 6):
                    self.without_faces.append(parts[part])
                    continue
                material = primitive.get("material", plain)
                if not isinstance(material, int) or not 0 <= material <= plain:
                    raise NightmistError(f"{self.name} is damaged: it refers to material {material}, but has {plain}.")
                pieces.append(self._piece(primitive, matrix, material, part))
        if not pieces:
            raise NightmistError(f"{self.name} holds no triangles, so there is nothing to paint on.")
        made = _join(pieces, looks, parts, self.name)
        made.nodes = nodes
        dropped = told_of([*dict.fromkeys(self.without_faces)], "Points and lines of {} were left out.")
        made.notes.extend([*dropped, *materials.said(), *self._left_out()])
        return made

    def _left_out(self) -> list[str]:
        """What of the scene is not taken."""
        found = [what for key, what in LEFT_OUT.items() if self.doc.get(key)]
        found += [what for key, what in LEFT_OUT_EXTENSIONS.items() if self.doc.get("extensions", {}).get(key)]
        nodes = self.doc.get("nodes", [])
        primitives = [p for mesh in self.doc.get("meshes", []) for p in mesh.get("primitives", [])]
        found += ["morph targets"] * any("targets" in p for p in primitives)
        found += ["vertex colors"] * any("COLOR_0" in p.get("attributes", {}) for p in primitives)
        found += ["repeats of parts"] * any(REPEATS in node.get("extensions", {}) for node in nodes)
        found += ["scenes but the first shown"] * (len(self.doc.get("scenes", [])) > 1)
        found += ["values of other programs"] * any(
            "extras" in each for each in [*nodes, *self.doc.get("materials", [])]
        )
        return [f"Not read here and left out: {', '.join(found)}."] if found else []

    def _placed(self) -> list[tuple[dict[str, Any], NDArray[np.float64], NDArray[np.float64], int]]:
        """All nodes of the scene: each with its own matrix, that into model space, and its parent's place here."""
        nodes = self.doc.get("nodes", [])
        scenes = self.doc.get("scenes", [])
        if scenes:
            roots = self.item("scenes", self.doc.get("scene", 0)).get("nodes", [])
        else:
            children = {c for node in nodes for c in node.get("children", [])}
            roots = [i for i in range(len(nodes)) if i not in children]
        placed: list[tuple[dict[str, Any], NDArray[np.float64], NDArray[np.float64], int]] = []
        waiting = [(root, np.eye(4), -1, 0) for root in reversed(roots)]
        while waiting:
            index, above, parent, depth = waiting.pop()
            if depth > MAX_DEPTH or len(placed) > 100_000:
                raise NightmistError(f"{self.name} nests its nodes without end.")
            node = self.item("nodes", index)
            local = _local_matrix(node)
            matrix = above @ local
            waiting.extend((child, matrix, len(placed), depth + 1) for child in reversed(node.get("children", [])))
            placed.append((node, local, matrix, parent))
        return placed

    def _piece(self, primitive: dict[str, Any], matrix: NDArray[np.float64], material: int, part: int) -> _Piece:
        attributes = primitive["attributes"]
        local = self.accessor(attributes["POSITION"])
        if local.shape[1] != 3:
            raise NightmistError(f"{self.name} is damaged: its positions are not in space.")
        if "indices" in primitive:
            index = self.accessor(primitive["indices"])[:, 0].astype(np.int64)
        else:
            index = np.arange(len(local))
        corners = _triangles(index, primitive.get("mode", 4))
        if len(corners) and (corners.min() < 0 or corners.max() >= len(local)):
            raise NightmistError(
                f"{self.name} is damaged: a face points at vertex {corners.max()}, but there are {len(local)}."
            )
        with np.errstate(all="ignore"):
            positions = local @ matrix[:3, :3].T + matrix[:3, 3]
            if np.linalg.det(matrix[:3, :3]) < 0:
                corners = corners[:, ::-1]
        normals = None
        if "NORMAL" in attributes:
            given = self.accessor(attributes["NORMAL"])
            if given.shape == local.shape:
                # Normals go with the inverse transpose, so that uneven scale keeps them upright.
                normals = (given @ np.linalg.pinv(matrix[:3, :3]))[corners]
        uvs: list[NDArray[np.float64]] = []
        while len(uvs) < MAX_UV_SETS and f"TEXCOORD_{len(uvs)}" in attributes:
            uv = self.accessor(attributes[f"TEXCOORD_{len(uvs)}"])
            if uv.shape != (len(local), 2):
                raise NightmistError(f"{self.name} is damaged: UV set {len(uvs)} does not match its vertices.")
            uvs.append(uv[corners])
        return _Piece(positions, corners, uvs, normals, material, part)

    def picture(self, image: dict[str, Any]) -> bytes:
        """The bytes of a picture."""
        return self._view(image["bufferView"])[0] if "bufferView" in image else self._link(image["uri"], "picture")


class _Piece:
    def __init__(
        self,
        positions: NDArray[np.float64],
        corners: NDArray[np.int64],
        uvs: list[NDArray[np.float64]],
        normals: NDArray[np.float64] | None,
        material: int,
        part: int,
    ) -> None:
        self.positions, self.corners, self.uvs = positions, corners, uvs
        self.normals, self.material, self.part = normals, material, part


def _join(pieces: list[_Piece], looks: list[SurfaceLook], parts: list[str], source: str) -> Mesh:
    offsets = np.cumsum([0] + [len(p.positions) for p in pieces])
    counts = [len(p.corners) for p in pieces]
    sets = max(len(p.uvs) for p in pieces)
    uvs = [
        np.concatenate([p.uvs[k] if k < len(p.uvs) else np.full((len(p.corners), 3, 2), np.nan) for p in pieces])
        for k in range(sets)
    ]
    normals = None
    if any(p.normals is not None for p in pieces):
        normals = np.concatenate(
            [p.normals if p.normals is not None else np.zeros((len(p.corners), 3, 3)) for p in pieces]
        )
    with np.errstate(over="ignore", invalid="ignore"):
        return build_mesh(
            np.concatenate([p.positions for p in pieces]).astype(np.float32),
            np.concatenate([p.corners + o for p, o in zip(pieces, offsets[:-1], strict=True)]).astype(np.int32),
            [uv.astype(np.float32) for uv in uvs],
            normals.astype(np.float32) if normals is not None else None,
            np.repeat(np.array([p.material for p in pieces], np.int32), counts),
            np.repeat(np.array([p.part for p in pieces], np.int32), counts),
            looks,
            parts,
            source,
        )


def _triangles(index: NDArray[np.int64], mode: int) -> NDArray[np.int64]:
    """(F, 3) corners of a triangle list, strip or fan."""
    if mode == 4:
        return index[: len(index) // 3 * 3].reshape(-1, 3)
    if mode == 5:
        return cut_strip(index)
    count = max(len(index) - 2, 0)
    step = np.arange(count)
    return np.column_stack([np.repeat(index[:1], count), index[step + 1], index[step + 2]]).reshape(-1, 3)


def _local_matrix(node: dict[str, Any]) -> NDArray[np.float64]:
    if "matrix" in node:
        return np.array(node["matrix"], np.float64).reshape(4, 4).T
    matrix = np.eye(4)
    x, y, z, w = np.array(node.get("rotation", [0, 0, 0, 1]), np.float64)
    rotation = np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    )
    matrix[:3, :3] = rotation * np.array(node.get("scale", [1, 1, 1]), np.float64)
    matrix[:3, 3] = np.array(node.get("translation", [0, 0, 0]), np.float64)
    return matrix
