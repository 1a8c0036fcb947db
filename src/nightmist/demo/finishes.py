"""Ten finishes of the harbor, made by code: color, roughness, metallic and height, tiling without a seam."""

from __future__ import annotations

import base64
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

from ..core.formats.image_files import write_png
from ..document.stacking.finishes import Finish, FinishPicture
from ..document.values import Group, MapName, Pigment, Role, Wash
from ..document.values import Mapping as Laying
from .textures import Gray, cells, coordinates, even, mixed, noise, ramp, tinted

NOTE = "Made by code for Nightmist; free to use."
ROLES: dict[str, Role] = {"base_color": "color", "roughness": "value", "metallic": "value", "height": "height"}


@dataclass(frozen=True)
class Look:
    """What a material looks like: (SIDE, SIDE, 3) color, gray pictures or one value for the rest."""

    color: NDArray[np.float64]
    roughness: Gray | float
    height: Gray
    metallic: Gray | float = 0.0
    repeat: float = 3.0


def _old_paint() -> Look:
    flakes, dirt = noise(1, 70, 0.7), noise(2, 160)
    bare = ramp(flakes, 0.80, 0.83)
    paint = tinted(dirt, ["#8f3324", "#b8402c", "#c25a42"])
    under = tinted(noise(3, 20), ["#5b4a3e", "#7d6a58"])
    return Look(
        mixed(paint, under, bare), mixed(0.45 + 0.2 * dirt, 0.85 + 0 * dirt, bare), 0.52 - 0.06 * bare + 0.01 * dirt
    )


def _primer() -> Look:
    grain, clouds = noise(4, 6, 0.2), noise(5, 120)
    return Look(
        tinted(0.3 * grain + 0.7 * clouds, ["#7a5a4a", "#8a6653", "#93705c"]),
        0.78 + 0.1 * grain,
        0.5 + 0.012 * (grain - 0.5),
    )


def _galvanized() -> Look:
    value, border = cells(6, 90)
    grain = noise(7, 5, 0.2)
    shine = 0.75 * value + 0.25 * grain
    return Look(
        tinted(shine, ["#8f9797", "#a9b0b0", "#c2c8c8"]), 0.32 + 0.25 * value, 0.5 + 0.008 * ramp(border, 0, 0.2), 0.95
    )


def _bare_steel() -> Look:
    brushed, clouds = noise(8, 40, 0.1, stretch=0.02), noise(9, 140)
    return Look(
        tinted(0.4 * brushed + 0.6 * clouds, ["#7b8080", "#8e9393", "#a2a7a7"]),
        0.28 + 0.22 * brushed,
        0.5 + 0.01 * (brushed - 0.5),
        1.0,
    )


def _rust() -> Look:
    clouds, grain = noise(10, 90, 0.6), noise(11, 10, 0.3)
    pits = ramp(noise(12, 24, 0.4), 0.78, 0.9)
    tone = np.clip(0.65 * clouds + 0.35 * grain - 0.3 * pits, 0, 1)
    return Look(
        tinted(tone, ["#3d1d10", "#6b3018", "#8f4520", "#b8672f"]),
        0.78 + 0.2 * grain,
        0.5 + 0.05 * (clouds - 0.5) + 0.03 * grain - 0.07 * pits,
    )


def _concrete() -> Look:
    clouds, grain = noise(13, 150), noise(14, 7, 0.2)
    holes = ramp(noise(15, 14, 0.2), 0.955, 0.985)
    tone = np.clip(0.6 * clouds + 0.4 * grain, 0, 1)
    color = mixed(tinted(tone, ["#8b8a85", "#9d9c96", "#b0afa8"]), tinted(grain, ["#5d5c58", "#6b6a66"]), holes)
    return Look(color, 0.85 + 0.1 * grain, 0.5 + 0.015 * (grain - 0.5) + 0.02 * (clouds - 0.5) - 0.1 * holes)


def _wet_concrete() -> Look:
    dry = _concrete()
    wet = ramp(noise(13, 150), 0.25, 0.7)
    rough = np.asarray(dry.roughness)
    return Look(
        mixed(dry.color * 0.62, dry.color * 0.45, wet),
        mixed(0.5 * rough, 0.12 + 0 * wet, wet),
        mixed(dry.height, 0.49 + 0 * wet, 0.5 * wet),
    )


def _timber() -> Look:
    v, u = coordinates()
    boards = 4
    number = np.floor(u * boards)
    across = (u * boards) % 1
    gap = 1 - ramp(np.minimum(across, 1 - across), 0.015, 0.04)
    # Each board has its own grain: the same clouds, shifted along it.
    clouds = noise(16, 60, 0.8, stretch=12)
    rows = (np.arange(512)[:, None] + (number * 149).astype(int)) % 512
    grain = clouds[rows, np.arange(512)[None, :]]
    lines = even(np.sin(2 * np.pi * (grain * 7)))
    tone = np.clip(0.55 * grain + 0.3 * lines + 0.06 * number, 0, 1)
    color = mixed(tinted(tone, ["#5a4632", "#7d6447", "#a0845f", "#b59a74"]), tinted(tone, ["#1d1712", "#2a221a"]), gap)
    return Look(color, 0.68 + 0.2 * lines, 0.53 + 0.02 * (lines - 0.5) - 0.16 * gap + 0 * v, repeat=2.0)


def _rope() -> Look:
    v, u = coordinates()
    strand = 16 * u + 8 * v
    round_ = np.abs(np.sin(np.pi * strand))
    fibers = even(np.sin(2 * np.pi * (40 * v + 16 * u) + 3 * noise(17, 30)))
    tone = np.clip(0.7 * round_ + 0.3 * fibers, 0, 1)
    return Look(
        tinted(tone, ["#4a3a24", "#8d7650", "#bba77c", "#d0bf97"]),
        0.82 + 0.12 * fibers,
        0.42 + 0.16 * round_ + 0.02 * fibers,
        repeat=4.0,
    )


def _rubber() -> Look:
    v, u = coordinates()
    grain = noise(18, 9, 0.3)
    ribs = ramp(np.abs(np.sin(np.pi * 12 * v)), 0.1, 0.5) + 0 * u
    dust = ramp(noise(19, 120), 0.6, 0.95)
    return Look(
        mixed(tinted(grain, ["#17191a", "#232627"]), tinted(grain, ["#4b4c48", "#595a55"]), 0.5 * dust),
        0.6 + 0.3 * dust,
        0.47 + 0.05 * ribs + 0.008 * grain,
    )


MADE: Mapping[str, Callable[[], Look]] = {
    "Old paint": _old_paint, "Primer": _primer, "Galvanized steel": _galvanized, "Bare steel": _bare_steel,
    "Rust": _rust, "Concrete": _concrete, "Wet concrete": _wet_concrete, "Timber boards": _timber, "Rope": _rope,
    "Rubber": _rubber,
}  # fmt: skip


@cache
def shipped_finish(name: str) -> Finish:
    """One of the ten, by name."""
    look = MADE[name]()
    wash_id, group_id = f"{name} wash", f"{name} group"
    given: dict[MapName, Gray | NDArray[np.float64] | float] = {
        "base_color": look.color, "roughness": look.roughness, "metallic": look.metallic, "height": look.height,
    }  # fmt: skip
    pictures, values = [], {}
    for map_name, what in given.items():
        if isinstance(what, float):
            values[map_name] = what
            continue
        # Height keeps 16 bits: 8 would show as steps in the light.
        deep = np.rint(np.clip(what, 0, 1) * 65535).astype(np.uint16)
        pixels = deep if map_name == "height" else np.rint(deep / 257).astype(np.uint8)
        title = f"{name}, {map_name.replace('_', ' ')}.png"
        data = base64.b64encode(write_png(pixels)).decode()
        pictures.append(FinishPicture(id=map_name, name=title, role=ROLES[map_name], note=NOTE, data=data))
    images = {map_name: map_name for map_name in given if map_name not in values}
    mapping = Laying("triplanar", repeat=(look.repeat, look.repeat))
    wash = Wash(
        id=wash_id, parent=group_id, order=0, name=name, pigment=Pigment(**values), images=images, mapping=mapping
    )
    return Finish(name=name, nodes=[Group(id=group_id, parent="", order=0, name=name), wash], pictures=pictures)


@cache
def swatch(name: str, side: int = 96) -> bytes:
    """PNG of a piece of it under a light from the upper left."""
    look = MADE[name]()
    slope_y, slope_x = np.gradient(look.height * 40)
    light = np.array([-0.5, -0.6, 0.62]) / np.linalg.norm([-0.5, -0.6, 0.62])
    normal = np.stack([-slope_x, -slope_y, np.ones_like(slope_x)], 2)
    normal /= np.linalg.norm(normal, axis=2, keepdims=True)
    shade = 0.35 + 0.9 * np.clip(normal @ light, 0, 1)
    shine = np.clip(normal @ ((light + [0, 0, 1]) / np.linalg.norm(light + [0, 0, 1])), 0, 1) ** 24
    lit = look.color * shade[..., None] + (0.35 * (1 - np.asarray(look.roughness)) * shine)[..., None]
    small = np.clip(lit, 0, 1)[: 2 * side, : 2 * side].reshape(side, 2, side, 2, 3).mean(axis=(1, 3))
    return write_png(np.rint(small * 255).astype(np.uint8))
