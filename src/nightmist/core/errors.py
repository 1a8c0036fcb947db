"""The one error that is meant for people."""

from collections.abc import Mapping, Sequence
from typing import Any

from pydantic import ValidationError

#: Letters of a wrong value that are told.
LONGEST = 80


class NightmistError(Exception):
    """Something the painter can do about: what was wrong, with which value, and the way out."""


def describe(what: str, error: ValidationError) -> str:
    """The first thing wrong with given values, in words."""
    return f"{what}: {first_wrong(error.errors())}"


def first_wrong(errors: Sequence[Mapping[str, Any]]) -> str:
    """The first of what Pydantic found wrong: where, with which value, and why."""
    first = errors[0]
    where = ".".join(str(part) for part in first["loc"])
    given = repr(first["input"])
    shown = given if len(given) <= LONGEST else f"{given[:LONGEST]} …"
    wrong = f"{where} = {shown} does not work: " if where else ""
    return f"{wrong}{first['msg'].removeprefix('Value error, ')}."
