"""Names as files: letters of any script stay, what some file system refuses goes, and no two are the same anywhere."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence

#: What no common file system takes in a name, or a shell takes for something else; white space too.
REFUSED = re.compile(r'[\x00-\x1f\x7f/\\:*?"<>|\s]+')
#: Devices of old that cannot be the name of a file, whatever its ending.
DEVICES = re.compile(r"(con|prn|aux|nul|com\d|lpt\d)(\.|$)", re.IGNORECASE)
#: Bytes in UTF-8; names are put together of three, and file systems take 255.
LONGEST = 90


def file_name(name: str) -> str:
    """A name that every file system takes, "untitled" when nothing of it is left."""
    plain = REFUSED.sub("-", unicodedata.normalize("NFC", name)).strip("-. ")
    short = plain.encode("utf-8", "ignore")[:LONGEST].decode("utf-8", "ignore").strip("-. ") or "untitled"
    return f"{short}-" if DEVICES.match(short) else short


def file_names(names: Sequence[str]) -> list[str]:
    """The same for several that lie in one folder: those that differ only in case, or in what went, get a number."""
    taken: set[str] = set()
    found = []
    for name in names:
        made = plain = file_name(name)
        number = 2
        while _folded(made) in taken:
            made, number = f"{plain}-{number}", number + 1
        taken.add(_folded(made))
        found.append(made)
    return found


def _folded(name: str) -> str:
    """What a file system that does not tell cases apart takes a name for."""
    return unicodedata.normalize("NFC", name.casefold())
