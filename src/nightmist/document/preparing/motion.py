"""Where parts have gone in another model, so that frames that belong to them go along."""

from __future__ import annotations

from typing import TypeVar

import numpy as np

from ...core.mapping.frames import degrees_of, turn_of
from ...core.mapping.placing import axes_of, roll_of
from ...core.mesh import Mesh
from ...core.mesh.similarity import Similarity
from ..change import Change
from ..derived.decal_frames import part_inside
from ..document import Document
from ..values import AnyFrame, AnyValue, BodyFrame, Decal, Decals, Frame, SurfaceFrame, Wash
from .recognizing import Recognized, motions_of_parts

#: A box in model space, as washes have it or decals around a body.
AnyBox = TypeVar("AnyBox", bound=Frame)


def with_moved_frames(document: Document, known: Recognized, mesh: Mesh, change: Change) -> Change:
    """A change to another model in which frames of washes and decals go where the parts below them went."""
    motions = motions_of_parts(known, mesh)
    if not motions:
        return change
    values = dict(change.values)
    for node in document.values.values():
        after = values.get(node.id, (node, node))[1]
        moved: AnyValue | None = after
        if isinstance(after, Wash) and after.mapping.frame:
            if motion := _of_surface(document, known, motions, document.surface_of(after).number):
                moved = after.but(mapping=after.mapping.but(frame=_moved(after.mapping.frame, motion)))
        elif isinstance(after, Decals):
            moved = after.but(placed=tuple(_with(document, decal, known, motions) for decal in after.placed))
        if moved != after:
            values[node.id] = (values.get(node.id, (node, node))[0], moved)
    return Change(label=change.label, values=values, rasters=change.rasters, edits=change.edits)


def _of_surface(
    document: Document, known: Recognized, motions: dict[int, Similarity], number: int
) -> Similarity | None:
    """How a whole surface has moved: with its only part, or with all of the model."""
    parts = np.unique(document.mesh.face_part[document.mesh.face_surface == number])
    return motions.get(int(parts[0])) if len(parts) == 1 else known.motion


def _with(document: Document, decal: Decal, known: Recognized, motions: dict[int, Similarity]) -> Decal:
    """A decal that has gone along with the part on which it lies; in a map it stays, and grows with the whole."""
    frame = decal.frame
    if isinstance(frame, BodyFrame):
        held = part_inside(document.mesh, frame)
        motion = motions.get(held) if held is not None else None
        after: AnyFrame = _moved(frame, motion) if motion else frame
    elif isinstance(frame, SurfaceFrame):
        motion = motions.get(_part_below(document, frame))
        after = _slid(frame, motion) if motion else frame
    else:
        motion, after = known.motion, frame
    if motion is None:
        return decal
    relief = decal.relief
    if relief:
        relief = relief.but(height=relief.height * motion.scale, bevel=relief.bevel * motion.scale)
    moved: Decal = decal.but(frame=after, relief=relief)
    return moved


def _part_below(document: Document, frame: SurfaceFrame) -> int:
    """The part on which a frame lies, -1 for none within its depth."""
    start = np.array(frame.position) + np.array(frame.normal) * frame.depth / 2
    hit = document.caster.cast(start[None], -np.array(frame.normal)[None])
    there = hit.face[0] >= 0 and hit.distance[0] <= frame.depth
    return int(document.mesh.face_part[hit.face[0]]) if there else -1


def _slid(frame: SurfaceFrame, motion: Similarity) -> SurfaceFrame:
    axes = axes_of(frame.normal, frame.roll) @ motion.turn.T
    roll = roll_of(axes)
    slid: SurfaceFrame = frame.but(
        position=motion.of(np.array(frame.position)).tolist(), normal=axes[2].tolist(), roll=roll,
        width=frame.width * motion.scale, height=frame.height * motion.scale, depth=frame.depth * motion.scale,
        radius=frame.radius * motion.scale, axis=frame.axis + roll - frame.roll,
    )  # fmt: skip
    return slid


def _moved(frame: AnyBox, motion: Similarity) -> AnyBox:
    moved: AnyBox = frame.but(
        position=motion.of(np.array(frame.position)).tolist(), size=[side * motion.scale for side in frame.size],
        turn=degrees_of(motion.turn @ turn_of(frame.turn)),
    )  # fmt: skip
    return moved
