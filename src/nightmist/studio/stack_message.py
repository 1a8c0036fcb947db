"""What a message is that changes a stack: it says what `Change` it means."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel, ConfigDict

from ..document import Document
from ..document.change import Change
from ..document.values import Value
from .parts import Part

#: A change, and the ids of what it makes that the painter goes on with.
Made = tuple[Change, list[str]]


class StackMessage(BaseModel):
    """Something that changes a stack or the regions."""

    model_config = ConfigDict(extra="forbid")

    def change(self, document: Document) -> Change:
        """The change that it means."""
        return self.made(document)[0]

    def made(self, document: Document) -> Made:
        """The same, and what it makes."""
        return self.change(document), []

    def doubt(self, document: Document, made: list[str]) -> str | None:
        """What the painter should know once it is done: why nothing of it is seen. made: the ids of what it made."""
        return None

    def run(self, document: Document) -> list[str]:
        """Do it; returns the ids of what the painter goes on with."""
        change, made = self.made(document)
        document.make(change)
        return made


def given(message: BaseModel, *but: str, of: Value | None = None) -> dict[str, Any]:
    """What a message sets, without what it is about.

    of: the value that it is set of. What parts of its fields leave out, and null among several numbers, stays.
    """
    names = message.model_fields_set - {"type", *but}
    fields = {name: getattr(message, name) for name in type(message).model_fields if name in names}
    return fields if of is None else {name: _whole(field, getattr(of, name, None)) for name, field in fields.items()}


def _whole(field: Any, held: Any) -> Any:
    if isinstance(field, Part):
        return given(field) if held is None else held.but(**given(field, of=held))
    if held is None:
        return field
    if isinstance(field, dict):
        return {name: each for name, each in {**held, **field}.items() if each is not None}
    if isinstance(field, tuple):
        return tuple(old if new is None else new for new, old in zip(field, held, strict=True))
    return field
