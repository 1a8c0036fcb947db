"""The one error that is meant for people."""

from pydantic import ValidationError


class NightmistError(Exception):
    """Something the painter can do about: what was wrong, with which value, and the way out."""


def describe(what: str, error: ValidationError) -> str:
    """The first thing wrong with given values, in words."""
    first = error.errors()[0]
    where = ".".join(str(part) for part in first["loc"])
    wrong = f"{where} = {first['input']!r} does not work: " if where else ""
    return f"{what}: {wrong}{first['msg'].removeprefix('Value error, ')}."
