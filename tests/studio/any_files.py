"""Anything that may come by REST, at random: other models, pictures, tips, finishes, and going back to versions."""

from __future__ import annotations

from pathlib import Path
from random import Random

import cv2
import numpy as np

from nightmist import Document
from nightmist.core.formats.gltf_write import write_glb
from nightmist.core.mesh.bodies import practice_body

from ..shapes import drum, joined, overlapped, placed, plane, walls

MODELS = [
    walls, overlapped, lambda: plane(4), lambda: walls(3), lambda: drum(sides=8), lambda: practice_body("box", 100.0),
    lambda: joined(walls(), placed(plane(3), move=(2, 0, 0))),
]  # fmt: skip
COLORS = ["#ff0000", "#00ff00", "#000000"]


def take_any_file(doc: Document, random: Random, folder: Path) -> None:
    """Do one of them; at most one step of the history. Raises NightmistError where it is refused."""
    random.choice([_model, _model, _model, _picture, _tip, _finish, _version, _mask, _region])(doc, random, folder)


def _noise(random: Random, side: int, channels: int) -> bytes:
    """A PNG of flat colors at random."""
    picked = np.random.default_rng(random.randrange(99)).integers(0, 2, (side, side, channels), np.uint8)
    return cv2.imencode(".png", picked * 255)[1].tobytes()


def _model(doc: Document, random: Random, folder: Path) -> None:
    again = placed(doc.mesh, (random.choice([1, 2, 0.5]),) * 3, (random.uniform(-1, 1), 0, 0))
    mesh = again if random.random() < 0.3 else random.choice(MODELS)()
    taken = {look.name: random.choice([None, *doc.surfaces]) for look in mesh.surfaces}
    chosen = taken if random.random() < 0.4 else None
    doc.replace_mesh(files={"m.glb": write_glb(mesh)}, keep_paint=random.random() < 0.8, surfaces=chosen)


def _picture(doc: Document, random: Random, folder: Path) -> None:
    doc.add_picture_data("x.png", _noise(random, random.randint(1, 40), random.choice([1, 3, 4])))


def _tip(doc: Document, random: Random, folder: Path) -> None:
    doc.add_tip("t.png", _noise(random, 9, 1))


def _finish(doc: Document, random: Random, folder: Path) -> None:
    for group in [layer for layer in doc.layers.values() if layer.kind == "group"][:1]:
        region = random.choice([None, *doc.regions])
        random.choice(list(doc.surfaces.values())).layers.add_finish(doc.keep_finish(group, "F"), region)


def _version(doc: Document, random: Random, folder: Path) -> None:
    if doc.versions and random.random() < 0.7:
        doc.restore_version(random.choice(doc.versions))
    else:
        doc.keep_version()


def _mask(doc: Document, random: Random, folder: Path) -> None:
    masks = [layer.mask for layer in doc.layers.values() if layer.mask]
    if masks and random.random() < 0.5:
        random.choice(masks).facing((0, 0, 1))
    elif masks:
        random.choice(masks).from_picture(_file(random, folder), random.choice([None, *COLORS]))


def _region(doc: Document, random: Random, folder: Path) -> None:
    doc.regions.add_color(None, random.choice(list(doc.surfaces)), _file(random, folder), random.choice(COLORS))


def _file(random: Random, folder: Path) -> Path:
    file = folder / "picture.png"
    file.write_bytes(_noise(random, 4, 3))
    return file
