"""Frames of decals: settled on the surface, put around a body, and made another kind by another shape."""

from __future__ import annotations

from typing import Any, NamedTuple, get_args

import numpy as np
from numpy.typing import NDArray

from ...core.errors import NightmistError
from ...core.mapping.curving import Curve, curve_of
from ...core.mapping.frames import degrees_of, fitted, turn_of
from ...core.mapping.placing import axes_of, depth_of, smooth_normal
from ..derived.decal_frames import bend_of, part_inside
from ..document import Document
from ..values import FARTHEST, AnyFrame, BodyFrame, BodyShape, FrameShape, MapFrame, SurfaceFrame

#: The share of a body's front that a picture takes which is laid flat on it.
USUAL_ON_FRONT = 0.5


class SurfacePlace(NamedTuple):
    """A place of the surface, and the normal there."""

    position: tuple[float, float, float]
    normal: tuple[float, float, float]


#: Where a decal comes to lie: on the surface, or at (u, v) of the map.
Place = SurfacePlace | tuple[float, float]


def is_body(shape: FrameShape) -> bool:
    """Whether a picture of a shape lies around a body."""
    return shape in get_args(BodyShape)


def turned(document: Document, frame: SurfaceFrame) -> SurfaceFrame:
    """A frame whose normal is the mean of those around, as far as it reaches."""
    reach = min(frame.width, frame.height) / 2
    place, normal = np.array(frame.position), np.array(frame.normal)
    x, y, z = smooth_normal(document.caster, place, normal, reach).tolist()
    turned: SurfaceFrame = frame.but(normal=(x, y, z))
    return turned


def settled(document: Document, frame: SurfaceFrame) -> SurfaceFrame:
    """A frame bent as the surface is, and as deep as the wall below allows, where that was not set by hand."""
    if frame.shape != "planar" and frame.follows:
        curve = curve_below(document, frame)
        curvature = curve.about_axis if frame.shape == "cylindrical" else curve.about_point
        radius = 1 / curvature if abs(curvature) > 1 / FARTHEST else FARTHEST
        frame = frame.but(radius=radius, axis=curve.lean)
    if not frame.measured:
        return frame
    axes = axes_of(frame.normal, frame.roll)
    depth = depth_of(
        document.caster, np.array(frame.position), axes, frame.width, frame.height, bend_of(frame)
    )  # fmt: skip
    deep: SurfaceFrame = frame.but(depth=depth)
    return deep


def curve_below(document: Document, frame: SurfaceFrame) -> Curve:
    """How the surface bends below a frame."""
    place, normal = np.array(frame.position), np.array(frame.normal)
    return curve_of(document.caster, place, normal, frame.width, frame.height)


def moved_to(document: Document, frame: SurfaceFrame | BodyFrame, at: SurfacePlace) -> SurfaceFrame | BodyFrame:
    """A frame at another place of the surface; one around a body goes to the part there, and stays if it is its own."""
    if isinstance(frame, SurfaceFrame):
        lying = turned(document, frame.but(position=at.position, normal=at.normal))
        if frame.adapts and frame.follows:
            lying = lying.but(shape=curve_below(document, lying).shape)
        return settled(document, lying)
    part = _part_at(document, at)
    return frame if part_inside(document.mesh, frame) == part else _around(document, frame, part)


def around_part(document: Document, at: SurfacePlace, roll: float, shape: FrameShape) -> BodyFrame:
    """A frame around the part at a place of the surface, its front towards whoever looks at that."""
    return _around(document, _facing(at.normal, roll, shape), _part_at(document, at))


def fitted_again(document: Document, frame: AnyFrame) -> BodyFrame:
    """A frame around a body as small as it can be, as it is turned. Raises NightmistError where there is none."""
    if not isinstance(frame, BodyFrame):
        raise NightmistError("Only a decal around a body is fitted to it. Choose Sphere, Box or Three ways first.")
    part = part_inside(document.mesh, frame)
    if part is None:
        part = int(document.mesh.face_part[below_middle(document, frame)[0]])
    return _around(document, frame, part)


def with_fields(document: Document, frame: AnyFrame, ratio: float, **fields: Any) -> AnyFrame:
    """A frame of which some fields are others; a shape of another kind makes it one on the surface, or around a body.

    ratio: the picture's height by its width.
    """
    shape: FrameShape | None = fields.get("shape")
    if shape and isinstance(frame, MapFrame):
        raise NightmistError("This decal lies in the map, which is flat.")
    if shape and is_body(shape) != isinstance(frame, BodyFrame):
        del fields["shape"]
        if isinstance(frame, SurfaceFrame):
            frame = _around_below(document, frame, shape)
        elif lain := _lain(document, frame):  # type: ignore[arg-type]
            frame = lain.but(shape=shape, adapts=False)
        else:
            frame = _on_front(document, frame, ratio, shape)  # type: ignore[arg-type]
    if "shape" in fields and isinstance(frame, SurfaceFrame):
        # Chosen by hand it stays wherever the frame goes.
        fields["adapts"] = False
    after: AnyFrame = frame.but(**fields)
    return after


def below_middle(document: Document, frame: SurfaceFrame | BodyFrame) -> tuple[int, SurfacePlace]:
    """The face below a frame's middle, seen from its front, and the place. Raises NightmistError where none is."""
    found = _below(document, frame)
    if found is None:
        raise NightmistError("Nothing lies below the middle of this decal. Move it onto the model first.")
    return found


def _below(document: Document, frame: SurfaceFrame | BodyFrame) -> tuple[int, SurfacePlace] | None:
    if isinstance(frame, SurfaceFrame):
        front, before = np.array(frame.normal), frame.depth / 2
    else:
        front, before = turn_of(frame.turn)[:, 2], frame.size[2]
    return _met(document, np.array(frame.position) + front * before, front)


def _part_at(document: Document, at: SurfacePlace) -> int:
    low, high = document.mesh.bounds
    normal = np.array(at.normal)
    found = _met(document, np.array(at.position) + normal * 1e-4 * float((high - low).max()), normal)
    if found is None:
        raise NightmistError("No part of the model lies there.")
    return int(document.mesh.face_part[found[0]])


def _met(
    document: Document, start: NDArray[np.float64], front: NDArray[np.float64]
) -> tuple[int, SurfacePlace] | None:  # fmt: skip
    """The first face behind a place, seen against a direction, and where that is met."""
    hit = document.caster.cast(start[None], -front[None])
    if hit.face[0] < 0:
        return None
    place = start - front * hit.distance[0]
    return int(hit.face[0]), SurfacePlace(tuple(place.tolist()), tuple(hit.normal[0].tolist()))


def _facing(normal: tuple[float, float, float], roll: float, shape: FrameShape) -> BodyFrame:
    """A frame around nothing yet, upright, its front along a normal."""
    return BodyFrame(turn=degrees_of(axes_of(normal, roll).T), shape=shape)


def _around(document: Document, frame: BodyFrame, part: int) -> BodyFrame:
    corners = document.mesh.corners[document.mesh.face_part == part].reshape(-1, 3).astype(np.float64)
    position, size = fitted(corners, frame.turn)
    around: BodyFrame = frame.but(position=position, size=size)
    return around


def _around_below(document: Document, frame: SurfaceFrame, shape: FrameShape) -> BodyFrame:
    """Around the part below a frame on the surface, which is remembered."""
    face, _ = below_middle(document, frame)
    around = _facing(frame.normal, frame.roll, shape).but(lain=frame)
    return _around(document, around, int(document.mesh.face_part[face]))


def _lain(document: Document, frame: BodyFrame) -> SurfaceFrame | None:
    """The frame on the surface that one around a body was made of, unless either has been moved since."""
    if not frame.lain or not _below(document, frame.lain):
        return None
    return frame.lain if _around_below(document, frame.lain, frame.shape) == frame else None


def _on_front(document: Document, frame: BodyFrame, ratio: float, shape: FrameShape) -> SurfaceFrame:
    """A frame on what lies in front of a body's middle, as large as that has room for."""
    _, at = below_middle(document, frame)
    width = USUAL_ON_FRONT * min(frame.size[0], frame.size[1] / ratio)
    made = SurfaceFrame(
        position=at.position, normal=at.normal, width=width, height=width * ratio, depth=width, shape=shape
    )  # fmt: skip
    return turned(document, made)
