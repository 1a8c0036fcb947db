"""Pictures in and out, always as uint16 with straight alpha."""

from __future__ import annotations

import io
import warnings

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageOps, UnidentifiedImageError

from ..errors import NightmistError

MAX_PIXELS = 16384 * 8192
#: The byte of a PNG that tells bits of a channel (ISO/IEC 15948, IHDR, which comes first).
PNG_DEPTH = 24
FORMATS = ("PNG", "JPEG", "WEBP", "TIFF", "TGA", "BMP")
#: How a TIFF begins, by the order of its bytes.
TIFF_SIGNS = (b"II*\0", b"MM\0*")


def read_picture(name: str, data: bytes, upright: bool = False) -> NDArray[np.uint16]:
    """(H, W, 4) uint16 of a PNG, JPEG, WebP, TIFF or TGA, as stored (no color conversion).

    upright: turned as the camera was held, where the picture says so (Exif); pictures of models do not count it. Gray
    TIFFs of floating-point numbers, as heights are kept, go from 0 to 1.

    Raises NightmistError for what is no picture, and for pictures too large, before decoding them.
    """
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            probe = Image.open(io.BytesIO(data), formats=FORMATS)
            width, height = probe.size
            if width * height > MAX_PIXELS:
                raise NightmistError(f"{name} has {width} × {height} pixels; at most {MAX_PIXELS:,} can be read.")
            may_be_deep = probe.format == "TIFF" or (probe.format == "PNG" and data[PNG_DEPTH] == 16)
            if may_be_deep and (deep := _read_deep(data)) is not None:
                return deep
            if probe.mode == "F":
                return _from_numbers(name, np.asarray(probe))
            if probe.mode == "I":
                raise UnidentifiedImageError
            if upright:
                ImageOps.exif_transpose(probe, in_place=True)
            pixels = np.asarray(probe.convert("RGBA"))
    except NightmistError:
        raise
    except Image.DecompressionBombError as error:
        raise NightmistError(f"{name} has too many pixels; at most {MAX_PIXELS:,} can be read.") from error
    except UnidentifiedImageError as error:
        if data.startswith(TIFF_SIGNS):
            known = "with 8 or 16 bits a channel, or as gray floating-point numbers"
            raise NightmistError(
                f"{name} is cut off, or a TIFF of a kind that cannot be read: save it {known}."
            ) from error
        raise NightmistError(f"{name} cannot be read as a picture: no PNG, JPEG, WebP, TIFF, TGA or BMP.") from error
    except (OSError, ValueError, SyntaxError) as error:
        raise NightmistError(f"{name} cannot be read as a picture: it is cut off or damaged.") from error
    widened: NDArray[np.uint16] = np.multiply(pixels, np.uint16(257), dtype=np.uint16)
    return widened


def picture_size(data: bytes) -> tuple[int, int]:
    """(width, height) in pixels, from the first bytes; (0, 0) of what is no picture."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            return Image.open(io.BytesIO(data), formats=FORMATS).size
    except (Image.DecompressionBombError, UnidentifiedImageError, OSError, ValueError, SyntaxError):
        return 0, 0


def _read_deep(data: bytes) -> NDArray[np.uint16] | None:
    """The 16-bit pictures, which Pillow would cut to 8."""
    image = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if image is None or image.dtype != np.uint16:
        return None
    if image.ndim == 2:
        image = np.repeat(image[:, :, None], 3, axis=2)
    if image.shape[2] == 3:
        image = np.dstack([image, np.full(image.shape[:2], 65535, np.uint16)])
    return np.ascontiguousarray(image[:, :, [2, 1, 0, 3]]).astype(np.uint16)


def _from_numbers(name: str, numbers: NDArray[np.float32]) -> NDArray[np.uint16]:
    """A gray picture of numbers 0-1."""
    low, high = float(numbers.min()), float(numbers.max())
    if not (low >= 0 and high <= 1):
        raise NightmistError(f"{name} holds numbers from {low:.4g} to {high:.4g}; a picture goes from 0 to 1.")
    gray = np.rint(numbers * 65535).astype(np.uint16)
    return np.dstack([gray, gray, gray, np.full_like(gray, 65535)])


def write_png(image: NDArray[np.uint16] | NDArray[np.uint8]) -> bytes:
    """PNG of (H, W), (H, W, 3) or (H, W, 4) with 8 or 16 bits, as the array's type says."""
    blue_first = image[:, :, [2, 1, 0, 3][: image.shape[2]]] if image.ndim == 3 else image
    # Level 1: painted maps have large flat parts, which every level finds; the others only take longer.
    done, data = cv2.imencode(".png", blue_first, [cv2.IMWRITE_PNG_COMPRESSION, 1])
    if not done:
        raise NightmistError("The picture could not be written as PNG.")
    return data.tobytes()


def color_spread(image: NDArray[np.uint16]) -> int:
    """How far the channels of any seen pixel of (H, W, 4) differ: next to nothing where a picture is gray."""
    red, green, blue, alpha = (image[..., channel] for channel in range(4))
    apart = np.maximum(np.maximum(red, green), blue) - np.minimum(np.minimum(red, green), blue)
    return int(apart.max(initial=0, where=alpha > 0))


def fit(image: NDArray[np.uint16], width: int, height: int) -> NDArray[np.uint16]:
    """The picture at another size: averaged when shrunk, bilinear when enlarged; color weighted by alpha."""
    if image.shape[:2] == (height, width):
        return image
    alpha = image[..., 3:].astype(np.float32)
    premultiplied = np.concatenate([image[..., :3] * (alpha / 65535), alpha], axis=2)
    shrinks = width < image.shape[1] or height < image.shape[0]
    scaled = cv2.resize(premultiplied, (width, height), interpolation=cv2.INTER_AREA if shrinks else cv2.INTER_LINEAR)
    share = np.maximum(scaled[..., 3:], 1e-6) / 65535
    straight = np.concatenate([scaled[..., :3] / share, scaled[..., 3:]], axis=2)
    rounded: NDArray[np.uint16] = np.rint(np.clip(straight, 0, 65535)).astype(np.uint16)
    return rounded
