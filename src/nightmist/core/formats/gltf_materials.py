"""glTF's materials as looks: what is painted here, and what is handed through as it came."""

from __future__ import annotations

from collections import defaultdict
from math import cos, isfinite, sin
from typing import Any, Protocol
from urllib.parse import unquote

from ..errors import NightmistError
from ..mesh.look import Placement, SurfaceLook, Untouched
from ..names import listed
from .beside import path_of
from .handed_through import HandedThrough

#: Pictures of a material that are not painted here, by glTF's names.
UNTOUCHED = {
    "normalTexture": ("normal", "normal pictures"),
    "occlusionTexture": ("occlusion", "occlusion pictures"),
    "emissiveTexture": ("emissive", "glow pictures"),
}
#: Extensions of materials and pictures that are read.
KNOWN = {"KHR_materials_unlit", "KHR_texture_transform"}


class Source(Protocol):
    """The file that materials are read from."""

    def item(self, kind: str, index: Any) -> dict[str, Any]:
        """One item of the file's description."""

    def picture(self, image: dict[str, Any]) -> bytes:
        """The bytes of a picture."""


class Materials:
    """Reads the materials of one file, and remembers what is to be said of them."""

    def __init__(self, source: Source) -> None:
        self.source = source
        self.notes: list[str] = []
        self.handed_through = HandedThrough()
        self.left_out: defaultdict[str, list[str]] = defaultdict(list)

    def said(self) -> list[str]:
        """What the painter is to know: each thing once, for all surfaces that have it."""
        left = [
            f"Not read here and left out of {listed(surfaces)}: {what}." for what, surfaces in self.left_out.items()
        ]
        return [*self.notes, *self.handed_through.said(), *left]

    def look(self, index: int) -> SurfaceLook:
        """One material."""
        material = self.source.item("materials", index)
        pbr = material.get("pbrMetallicRoughness", {})
        factor = [_number(v, 1.0, 1.0) for v in pbr.get("baseColorFactor", [1, 1, 1, 1])]
        look = SurfaceLook(
            str(material.get("name") or f"surface {index + 1}"),
            (factor[0], factor[1], factor[2]),
            _number(pbr.get("roughnessFactor", 1.0), 0.5, 1.0),
            _number(pbr.get("metallicFactor", 1.0), 0.5, 1.0),
            multiplied=True,
            untouched=_untouched(material),
        )
        for key, slot in (("baseColorTexture", "base_color"), ("metallicRoughnessTexture", "metallic_roughness")):
            if key in pbr:
                self._picture(pbr[key], slot, look)
        if look.untouched.alpha_mode != "OPAQUE":
            look.opacity = factor[3] if len(factor) > 3 else 1.0
            if "baseColorTexture" in pbr:
                self._picture(pbr["baseColorTexture"], "opacity", look)
        for key, (slot, what) in UNTOUCHED.items():
            if key in material:
                self._picture(material[key], slot, look)
                if slot in look.pictures:
                    self.handed_through.add(what, look.name)
        if look.untouched.double_sided:
            self.handed_through.add("double-sidedness", look.name)
        for extension in sorted(set(material.get("extensions", {})) - KNOWN):
            self.left_out[extension].append(look.name)
        return look

    def _picture(self, reference: dict[str, Any], slot: str, look: SurfaceLook) -> None:
        place = _placement(reference)
        if place != Placement():
            look.placed[slot] = place
        texture = self.source.item("textures", reference.get("index"))
        kept_as = texture.get("extensions", {})
        number = texture.get("source", kept_as.get("EXT_texture_webp", {}).get("source"))
        if number is None:
            what = f"a picture kept as {listed(sorted(kept_as))}" if kept_as else "a picture without a file"
            # The same one may be meant for color and for opacity.
            self.left_out[what] += [look.name] * (look.name not in self.left_out[what])
            return
        image = self.source.item("images", number)
        try:
            look.pictures[slot] = self.source.picture(image)
        except NightmistError as error:
            uri = str(image.get("uri", ""))
            if "://" in uri or uri.startswith("data:") or not uri:
                said = f"{error} The surface {look.name} starts without it."
                self.notes += [said] * (said not in self.notes)
            else:
                look.missing[slot] = path_of(unquote(uri))


def _untouched(material: dict[str, Any]) -> Untouched:
    glow = [_number(v, 0.0, 1.0) for v in material.get("emissiveFactor", [0, 0, 0])]
    return Untouched(
        double_sided=bool(material.get("doubleSided")),
        alpha_mode=material.get("alphaMode", "OPAQUE"),
        alpha_cutoff=_number(material.get("alphaCutoff", 0.5), 0.5),
        emissive=(glow[0], glow[1], glow[2]),
        normal_scale=_number(material.get("normalTexture", {}).get("scale", 1.0), 1.0),
        occlusion_strength=_number(material.get("occlusionTexture", {}).get("strength", 1.0), 1.0, 1.0),
    )


def _placement(reference: dict[str, Any]) -> Placement:
    """Where a picture lies in which UV set (KHR_texture_transform: scale, then rotation, then offset)."""
    given = reference.get("extensions", {}).get("KHR_texture_transform", {})
    uv_set = int(given.get("texCoord", reference.get("texCoord", 0)))
    (x, y), (across, down) = given.get("offset", (0, 0)), given.get("scale", (1, 1))
    turn = float(given.get("rotation", 0.0))
    numbers = (
        across * cos(turn), down * sin(turn), float(x), -across * sin(turn), down * cos(turn), float(y)
    )  # fmt: skip
    if not all(isfinite(number) for number in numbers):
        raise ValueError("a picture's transform is not a number")
    return Placement(uv_set, numbers)


def _number(value: Any, fallback: float, most: float = 1e6) -> float:
    """A number of at least 0, or the fallback for what is none."""
    number = float(value)
    return min(max(number, 0.0), most) if isfinite(number) else fallback
