"""What is cut out of a picture: a part of it, without its background, with an alpha from elsewhere."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from ..formats.image_files import fit
from ..kernels import kernel
from .pyramid import LUMA

FULL = 65535
#: Below this alpha a color that was keyed out cannot be told from noise.
LEAST = 1e-3
#: Pixels that a rim is wide, at most.
RIM = 3
#: What is farther than this from any mixture of key and foreground is a color of its own.
STRANGE = 0.08


def cropped(picture: NDArray[np.uint16], crop: tuple[float, float, float, float]) -> NDArray[np.uint16]:
    """A part of an (h, w, …) picture: left, top, right, bottom as shares; at least a pixel of it."""
    height, width = picture.shape[:2]
    left, right = (min(max(round(share * width), 0), width) for share in (crop[0], crop[2]))
    top, bottom = (min(max(round(share * height), 0), height) for share in (crop[1], crop[3]))
    left, top = min(left, width - 1), min(top, height - 1)
    return np.ascontiguousarray(picture[top : max(bottom, top + 1), left : max(right, left + 1)])


def with_alpha_of(picture: NDArray[np.uint16], other: NDArray[np.uint16]) -> NDArray[np.uint16]:
    """An (h, w, 4) picture whose alpha is the gray of another of any size, in place of its own."""
    fitted = fit(other, picture.shape[1], picture.shape[0])
    made = picture.copy()
    made[..., 3] = np.rint(fitted[..., :3] @ LUMA)
    return made


def keyed_out(
    picture: NDArray[np.uint16], key: tuple[float, float, float], tolerance: float, softness: float,
    despill: bool = True, background: bool = False,
) -> NDArray[np.uint16]:  # fmt: skip
    """A picture without a background color, (h, w, 4) uint16 with straight alpha.

    key: 0-1 as stored. Pixels are as opaque as smoothstep(t0, t1, d) says of their distance d to it (between red, green
    and blue, 1 from black to white), t0 the tolerance and t1 as much further as the softness. despill: a pixel of a rim
    that is a mixture of key and foreground is as opaque as its share of the foreground; and what of the key is mixed
    into half-transparent pixels is taken out again, C' = (C - (1 - a) · key) / a (Porter and Duff 1984, solved for the
    foreground). background: colors are those of what is left when the alpha is inverted: the key at rims, the picture's
    own beyond them.
    """
    colors = picture[..., :3].astype(np.float32) / FULL
    ground = np.array(key, np.float32)
    distance = np.linalg.norm(colors - ground, axis=2) / np.sqrt(3)
    t = np.clip((distance - tolerance) / max(softness, 1e-6), 0, 1)
    share = (t * t * (3 - 2 * t)).astype(np.float32)
    if despill:
        width = 2 * RIM + 1
        rim = (share > 0) & (cv2.dilate((share == 0).astype(np.uint8), np.ones((width, width), np.uint8)) > 0)
        share = _mixed(colors, ground, distance, share, rim)
        if background:
            colors[share > 0] = ground
        else:
            solid = np.maximum(share, LEAST)[..., None]
            colors = np.clip((colors - (1 - share[..., None]) * ground) / solid, 0, 1)
    made = np.empty_like(picture)
    made[..., :3] = np.rint(colors * FULL)
    made[..., 3] = np.rint(share * picture[..., 3])
    return made


def softened(picture: NDArray[np.uint16], radius: float) -> NDArray[np.uint16]:
    """A picture whose alpha is blurred by a Gaussian, a standard deviation in pixels; its colors reach out under it."""
    alpha = picture[..., 3].astype(np.float32) / FULL
    around = {"ksize": (0, 0), "sigmaX": radius, "borderType": cv2.BORDER_REPLICATE}
    soft = np.asarray(cv2.GaussianBlur(alpha, **around))  # type: ignore[call-overload]
    spread = np.asarray(cv2.GaussianBlur(picture[..., :3] * alpha[..., None], **around))  # type: ignore[call-overload]
    made = picture.copy()
    bare = (alpha <= 0) & (soft > 0)
    made[bare, :3] = np.rint(np.clip(spread[bare] / soft[bare][:, None], 0, FULL))
    made[..., 3] = np.rint(soft * FULL)
    return made


def multiplied(picture: NDArray[np.uint16], times: float) -> NDArray[np.uint16]:
    """Colors times a factor, no more than full; alpha stays."""
    made = picture.copy()
    made[..., :3] = np.minimum(np.rint(picture[..., :3] * times), FULL)
    return made


def inverted(picture: NDArray[np.uint16]) -> NDArray[np.uint16]:
    """A picture that is opaque where it was not."""
    made = picture.copy()
    made[..., 3] = FULL - picture[..., 3]
    return made


@kernel
def _mixed(colors, ground, distance, share, rim):  # type: ignore[no-untyped-def]
    """(h, w) alphas: at rims the share of the foreground, where nothing but that and the key is mixed.

    The foreground is what lies farthest from the key within a rim's width.
    """
    height, width = share.shape
    made = share.copy()
    for y in range(height):
        for x in range(width):
            if not rim[y, x]:
                continue
            best_y, best_x = y, x
            for v in range(max(y - RIM, 0), min(y + RIM + 1, height)):
                for u in range(max(x - RIM, 0), min(x + RIM + 1, width)):
                    if distance[v, u] > distance[best_y, best_x]:
                        best_y, best_x = v, u
            if share[best_y, best_x] < 1:
                continue
            along, length = np.float32(0), np.float32(0)
            for c in range(3):
                step = colors[best_y, best_x, c] - ground[c]
                along += (colors[y, x, c] - ground[c]) * step
                length += step * step
            part = min(max(along / length, np.float32(0)), np.float32(1))
            off = np.float32(0)
            for c in range(3):
                off += (colors[y, x, c] - ground[c] - part * (colors[best_y, best_x, c] - ground[c])) ** 2
            sure = min(max(2 - 2 * np.sqrt(off / 3) / np.float32(STRANGE), np.float32(0)), np.float32(1))
            made[y, x] += sure * (part - made[y, x])
    return made
