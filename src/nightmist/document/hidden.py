"""Which parts are hidden is how the model is looked at, no step of the history: undo and redo leave it as it is."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from .change import Change
from .values import MODEL, PROJECT, AnyValue, Model, Project


def hidden_by_name(parts: Sequence[str], hidden: Sequence[int], others: Sequence[str]) -> tuple[int, ...]:
    """Parts of another model, by number, whose names only hidden parts had."""
    gone = set(hidden)
    names = {parts[n] for n in gone} - {name for n, name in enumerate(parts) if n not in gone}
    return tuple(n for n, name in enumerate(others) if name in names)


def as_hidden_now(values: Mapping[str, AnyValue], step: Change) -> Change:
    """A step of the history for a document in which other parts may be hidden than when it was made.

    It hides what it hid where nothing else was hidden since; what became hidden since follows to another model by name.
    """
    now, model = values.get(PROJECT), values.get(MODEL)
    before, after = step.values.get(PROJECT, (now, now))
    other = step.values.get(MODEL, (model, model))[1]
    if not (isinstance(now, Project) and isinstance(before, Project) and isinstance(after, Project)):
        return step
    if not (isinstance(model, Model) and isinstance(other, Model)) or before.but(hidden_parts=now.hidden_parts) != now:
        return step
    hidden = now.hidden_parts
    if PROJECT in step.values and before == now:
        hidden = after.hidden_parts
    elif other.arrays["face_part"] != model.arrays["face_part"]:
        hidden = hidden_by_name(model.parts, hidden, other.parts)
    then = after.but(hidden_parts=hidden)
    pair = {} if then == now else {PROJECT: (now, then)}
    rest = {key: both for key, both in step.values.items() if key != PROJECT}
    return step.model_copy(update={"values": {**rest, **pair}})
