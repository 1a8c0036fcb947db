"""Names as people and files give them, made fit for every door: screen, database, files."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence

#: Letters of a name at most.
LONGEST = 80
#: Unicode categories that no name keeps: control characters, halves of surrogate pairs, and what is not assigned.
UNFIT = {"Cc", "Cs", "Cn"}
#: Unicode bidirectional classes of marks that turn what follows them, beyond the name's end (UAX #9, explicit ones).
TURNING = {"LRE", "RLE", "LRO", "RLO", "PDF", "LRI", "RLI", "FSI", "PDI"}
#: What nobody sees (Unicode: default ignorable): two names would look the same and be told apart. The two joiners are
#: not among them: scripts need them between letters.
UNSEEN = {*"\u00ad\u034f\u061c\u180e\u200b\u200e\u200f\u2060\u2061\u2062\u2063\u2064\ufeff"}
JOINERS = "\u200c\u200d"
#: A name that ends with a number, such as a person would count.
NUMBERED = re.compile(r"(.+) ([1-9][0-9]{0,5})")


def clean_name(name: str, otherwise: str = "") -> str:
    """`name` composed (NFC), without unfit and unseen characters, white space folded, at most LONGEST letters.

    otherwise: what it is called when nothing is left.
    """
    spaced = "".join(" " if c.isspace() else c for c in name)
    fit = "".join(c for c in spaced if _is_fit(c))
    folded = " ".join(unicodedata.normalize("NFC", fit).split())
    return folded[:LONGEST].strip(f" {JOINERS}") or otherwise


def _is_fit(letter: str) -> bool:
    if letter in UNSEEN or unicodedata.category(letter) in UNFIT:
        return False
    return unicodedata.bidirectional(letter) not in TURNING


def unused_name(wanted: str, taken: set[str]) -> str:
    """`wanted`, or with the lowest number behind it that makes it new among `taken`; never longer than LONGEST."""
    return wanted if wanted not in taken else _numbered(wanted, 2, taken)


def counted_on(name: str, taken: set[str]) -> str:
    """What a copy of `name` is called: as `unused_name`, but from a number on that it has already."""
    found = NUMBERED.fullmatch(name)
    if name not in taken or not found:
        return unused_name(name, taken)
    return _numbered(found[1], int(found[2]) + 1, taken)


def _numbered(name: str, number: int, taken: set[str]) -> str:
    while True:
        ending = f" {number}"
        numbered = name[: LONGEST - len(ending)] + ending
        if numbered not in taken:
            return numbered
        number += 1


def listed(names: Sequence[str], most: int = 4) -> str:
    """Names as part of a sentence, as many as one reads."""
    rest = len(names) - most
    return ", ".join(names[:most]) + (f" and {rest} more" if rest > 0 else "")


def told_of(names: Sequence[str], one: str, several: str = "") -> list[str]:
    """What is so of some things in a sentence, where {} stands for their names; none for none.

    several: how it is said of more than one, where that is another sentence.
    """
    return [(several if several and len(names) > 1 else one).format(listed(names))] if names else []
