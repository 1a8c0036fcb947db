"""What document values have in common: frozen, checked, and refused in words."""

from __future__ import annotations

import uuid
from typing import Annotated, Any

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, ValidationError

from ...core.errors import NightmistError, describe
from ...core.names import LONGEST, clean_name

Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]


def _named(name: object) -> object:
    if not isinstance(name, str):
        return name
    if len(name) > LONGEST:
        raise ValueError(f"a name has 1 to {LONGEST} letters")
    cleaned = clean_name(name)
    if not cleaned:
        raise ValueError(f"a name has 1 to {LONGEST} letters")
    return cleaned


#: A name that every door takes: no control characters, no halves of surrogate pairs, not empty.
Name = Annotated[str, Field(min_length=1, max_length=LONGEST), BeforeValidator(_named)]


class Value(BaseModel):
    """A frozen document value; wrong arguments become a sentence for the painter."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    def __init__(self, **data: Any) -> None:
        try:
            super().__init__(**data)
        except ValidationError as error:
            raise NightmistError(describe(type(self).__name__, error)) from error

    def but(self, **fields: Any) -> Any:
        """The same value with other fields, checked. Raises NightmistError for what it cannot take."""
        return type(self)(**{**{name: getattr(self, name) for name in type(self).model_fields}, **fields})


def new_id() -> str:
    """An id that no other value has."""
    return uuid.uuid4().hex[:12]
