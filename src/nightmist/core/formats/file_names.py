"""Names as files: letters of any script stay, what some file system refuses goes, and no two are the same anywhere."""

from __future__ import annotations

import re
import unicodedata
from collections import Counter
from collections.abc import Mapping, Sequence
from string import Formatter

from ..errors import NightmistError

#: What no common file system takes in a name, or a shell takes for something else; white space too.
REFUSED = re.compile(r'[\x00-\x1f\x7f/\\:*?"<>|\s]+')
#: Devices of old that cannot be the name of a file, whatever its ending.
DEVICES = re.compile(r"(con|prn|aux|nul|com\d|lpt\d)(\.|$)", re.IGNORECASE)
#: Bytes in UTF-8; names are put together of three, and file systems take 255.
LONGEST = 90
#: What file systems take, without the ending.
WHOLE = 250


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


def names_by(template: str, ending: str, entries: Sequence[Mapping[str, str]]) -> list[str]:
    """A file name for each entry: the template with the entry's own words in place of {those in braces}.

    ending: what every name ends with, "png"; said in the template too, it is not doubled.
    Raises NightmistError for braces that hold no such word, and for names that are empty, too long or alike.
    """
    plain = re.sub(rf"(\.{ending})+$", "", template.strip(), flags=re.IGNORECASE)
    pieces = _pieces(plain, list(entries[0]) if entries else [])
    found = []
    for entry in entries:
        whole = "".join(text + (entry[word] if word else "") for text, word in pieces)
        name = REFUSED.sub("-", unicodedata.normalize("NFC", whole)).strip("-. ")
        if not name:
            raise NightmistError("Names of files are empty. Say what they consist of, {surface}_{map} for example.")
        if len(name.encode()) > WHOLE:
            raise NightmistError(f"{name[:40]}… is longer than a file's name may be. Take something out of it.")
        found.append(f"{name}-.{ending}" if DEVICES.match(name) else f"{name}.{ending}")
    times = Counter(map(_folded, found))
    for name in found:
        if times[_folded(name)] > 1:
            raise NightmistError(f"Several files would be called {name}. Put {{surface}} and {{map}} into their names.")
    return found


def _pieces(template: str, words: Sequence[str]) -> list[tuple[str, str]]:
    """What stands before each word in braces, and the word; an empty one at the end."""
    known = ", ".join(f"{{{word}}}" for word in words)
    try:
        parsed = list(Formatter().parse(template))
    except ValueError as error:
        raise NightmistError(f"In {template!r} a brace lacks its other half. In braces stand {known}.") from error
    for _, word, form, conversion in parsed:
        if word is not None and (word not in words or form or conversion):
            raise NightmistError(f"Names of files know no {{{word}}}. In braces stand {known}.")
    return [(text, word or "") for text, word, _, _ in parsed]


def _folded(name: str) -> str:
    """What a file system that does not tell cases apart takes a name for."""
    return unicodedata.normalize("NFC", name.casefold())
