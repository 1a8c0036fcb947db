"""Where parts have gone in another model, so that frames that belong to them go along."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from ...core.mapping.frames import degrees_of, turn_of
from ...core.mapping.placing import axes_of, roll_of
from ...core.mesh import Mesh
from ...core.mesh.similarity import Similarity, similarity_between
from ..change import Change
from ..derived.decal_frames import part_inside
from ..document import Document
from ..values import AnyValue, BodyFrame, Decal, Decals, Frame, SurfaceFrame, Wash

#: A box in model space, as washes have it or decals around a body.
AnyBox = TypeVar("AnyBox", bound=Frame)


def with_moved_frames(document: Document, mesh: Mesh, change: Change) -> Change:
    """A change to another model in which frames of washes and decals go where the parts below them went."""
    motions = _motions(document.mesh, mesh)
    if not motions:
        return change
    values = dict(change.values)
    for node in document.values.values():
        after = values.get(node.id, (node, node))[1]
        moved: AnyValue | None = after
        if isinstance(after, Wash) and after.mapping.frame:
            if motion := _of_surface(document, motions, document.surface_of(after).number):
                moved = after.but(mapping=after.mapping.but(frame=_moved(after.mapping.frame, motion)))
        elif isinstance(after, Decals):
            moved = after.but(placed=tuple(_with(document, decal, motions) for decal in after.placed))
        if moved != after:
            values[node.id] = (values.get(node.id, (node, node))[0], moved)
    return Change(label=change.label, values=values, rasters=change.rasters, edits=change.edits)


def moved_faces(old: Mesh, new: Mesh) -> Iterator[tuple[NDArray[np.int64], NDArray[np.int64]]]:
    """Of each part that is the same but lies otherwise now: its faces before and, one by one the same, now."""
    for _, here, there, _ in _moved_parts(old, new):
        yield here, there


def _motions(old: Mesh, new: Mesh) -> dict[int, Similarity]:
    return {number: motion for number, _, _, motion in _moved_parts(old, new)}


def _moved_parts(old: Mesh, new: Mesh) -> Iterator[tuple[int, NDArray[np.int64], NDArray[np.int64], Similarity]]:
    """Old parts of which one of the same name and faces lies otherwise now, with how; those that stayed are left."""
    for number, name in enumerate(old.parts):
        here = np.flatnonzero(old.face_part == number)
        same = [each for each, other in enumerate(new.parts) if other == name and (new.face_part == each).any()]
        if not len(here) or len(same) != 1 or old.parts.count(name) != 1:
            continue
        there = np.flatnonzero(new.face_part == same[0])
        if len(there) != len(here):
            continue
        if motion := similarity_between(old.corners[here].reshape(-1, 3), new.corners[there].reshape(-1, 3)):
            yield number, here, there, motion


def _of_surface(document: Document, motions: dict[int, Similarity], number: int) -> Similarity | None:
    """How a whole surface has moved: with its only part."""
    parts = np.unique(document.mesh.face_part[document.mesh.face_surface == number])
    return motions.get(int(parts[0])) if len(parts) == 1 else None


def _with(document: Document, decal: Decal, motions: dict[int, Similarity]) -> Decal:
    """A decal that has gone along with the part on which it lies."""
    frame = decal.frame
    if isinstance(frame, BodyFrame):
        held = part_inside(document.mesh, frame)
        gone = motions.get(held) if held is not None else None
        around: Decal = decal.but(frame=_moved(frame, gone)) if gone else decal
        return around
    if not isinstance(frame, SurfaceFrame):
        return decal
    place, front = np.array(frame.position), np.array(frame.normal)
    start = place + front * frame.depth / 2
    hit = document.caster.cast(start[None], -front[None])
    if hit.face[0] < 0 or hit.distance[0] > frame.depth:
        return decal
    motion = motions.get(int(document.mesh.face_part[hit.face[0]]))
    if motion is None:
        return decal
    axes = axes_of(frame.normal, frame.roll) @ motion.turn.T
    roll = roll_of(axes)
    moved: Decal = decal.but(
        frame=frame.but(
            position=motion.of(place).tolist(), normal=axes[2].tolist(), roll=roll,
            width=frame.width * motion.scale, height=frame.height * motion.scale, depth=frame.depth * motion.scale,
            radius=frame.radius * motion.scale, axis=frame.axis + roll - frame.roll,
        )
    )  # fmt: skip
    return moved


def _moved(frame: AnyBox, motion: Similarity) -> AnyBox:
    moved: AnyBox = frame.but(
        position=motion.of(np.array(frame.position)).tolist(), size=[side * motion.scale for side in frame.size],
        turn=degrees_of(motion.turn @ turn_of(frame.turn)),
    )  # fmt: skip
    return moved
