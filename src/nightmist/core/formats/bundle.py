"""Files that come together: dropped side by side, or zipped."""

from __future__ import annotations

import io
import zipfile
import zlib
from collections.abc import Mapping
from pathlib import Path

from ..errors import NightmistError
from .beside import name_of
from .model import MODEL_ENDINGS

MAX_ENTRIES = 500
MAX_UNPACKED = 1 << 30
MAX_READ = 1 << 28
#: What models refer to.
BESIDE = {".bin", ".mtl", ".png", ".jpg", ".jpeg", ".webp", ".tif", ".tiff", ".tga", ".bmp"}


def files_with(file: Path) -> dict[str, bytes]:
    """Path -> bytes of a model and, where its format refers to others, of the files beside it and one folder below."""
    try:
        files = {file.name: file.read_bytes()}
        if file.suffix.lower() in (".gltf", ".obj"):
            for other in (*file.parent.glob("*"), *file.parent.glob("*/*")):
                if other.suffix.lower() in BESIDE and other.is_file() and other.stat().st_size < MAX_READ:
                    files[other.relative_to(file.parent).as_posix()] = other.read_bytes()
    except OSError as error:
        raise NightmistError(f"{file} cannot be read: {error.strerror}.") from error
    return files


def read_file(file: Path) -> bytes:
    """A file's bytes. Raises NightmistError naming it when it cannot be read."""
    try:
        return file.read_bytes()
    except OSError as error:
        raise NightmistError(f"{file} cannot be read: {error.strerror}.") from error


def unpacked(files: Mapping[str, bytes]) -> dict[str, bytes]:
    """Path -> bytes with zips replaced by what is in them.

    Raises NightmistError for zips that are damaged or unpack to too much, before unpacking that.
    """
    found: dict[str, bytes] = {}
    for name, data in files.items():
        if name.lower().endswith(".zip"):
            found.update(_unzip(name, data))
        else:
            found[name] = data
    return found


def the_model(files: Mapping[str, bytes]) -> str:
    """The name of the one model among files. Raises NightmistError when there is none, or several."""
    models = [name for name in files if name.lower().endswith(MODEL_ENDINGS)]
    if not models:
        raise NightmistError(f"None of these files is a model. Use one of: {', '.join(MODEL_ENDINGS)}.")
    if len(models) > 1:
        names = ", ".join(name_of(model) for model in models)
        raise NightmistError(f"These are several models: {names}. Bring in one at a time.")
    return models[0]


def _unzip(name: str, data: bytes) -> dict[str, bytes]:
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as zipped:
            entries = [info for info in zipped.infolist() if not info.is_dir() and not _of_the_system(info.filename)]
            size = sum(info.file_size for info in entries)
            if len(entries) > MAX_ENTRIES or size > MAX_UNPACKED:
                raise NightmistError(
                    f"{name} holds {len(entries):,} files of {size >> 20:,} MB;"
                    f" at most {MAX_ENTRIES} files and {MAX_UNPACKED >> 20:,} MB are unpacked."
                )
            # A header may lie about the size, so no more than it says is read.
            return {info.filename: zipped.open(info).read(info.file_size) for info in entries}
    except (zipfile.BadZipFile, zlib.error, OSError, RuntimeError, NotImplementedError, EOFError, ValueError) as error:
        raise NightmistError(f"{name} is damaged or locked and cannot be unpacked.") from error


def _of_the_system(path: str) -> bool:
    """Whether a file was put beside another by its system, under nearly its name."""
    return name_of(path).startswith("._")
