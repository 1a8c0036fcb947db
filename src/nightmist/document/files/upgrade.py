"""What earlier versions wrote, brought to the present form."""

from __future__ import annotations

from typing import Any

from ..values import DocumentValues


def values_of(state: dict[str, Any]) -> DocumentValues:
    """The values of a stored document: as written now, or as the nested state that came before it."""
    return DocumentValues.model_validate(state if is_present(state) else {"values": _from_nested(state)})


def is_present(state: dict[str, Any]) -> bool:
    """Whether a stored document has the present form."""
    return "values" in state


def _from_nested(state: dict[str, Any]) -> list[dict[str, Any]]:
    """Surfaces had been known by name and held their layers, bottom first."""
    values: list[dict[str, Any]] = [
        {"kind": "project", "id": "project", "name": state["name"], "size": state["size"],
         "hidden_parts": state.get("hidden_parts", []), "notes": state.get("notes", [])},
    ]  # fmt: skip
    if state.get("mesh"):
        values.append({"kind": "model", "id": "model", **state["mesh"]})
    for name, picture in state.get("tips", {}).items():
        values.append({"kind": "tip", "id": f"tip:{name}", "name": name, "picture": picture})
    for number, surface in enumerate(state["surfaces"]):
        layers = surface.pop("layers", [])
        key = f"surface{number}"
        values.append({"kind": "surface", "id": key, "number": number, **surface})
        values += [{**layer, "parent": key, "order": float(order)} for order, layer in enumerate(layers)]
    return values
