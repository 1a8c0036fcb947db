"""Anything that a page may say, at random: what the schema of its messages allows, about what a document holds."""

from __future__ import annotations

from random import Random
from typing import Any

from pydantic import ValidationError

from nightmist import Camera, Document, NightmistError
from nightmist.document.values import NODES, Brushed, Decals, Group, Picture, Region, Version, Wash
from nightmist.studio.messages import CLIENT_MESSAGE, ClientMessage

Schema = dict[str, Any]

SCHEMA = CLIENT_MESSAGE.json_schema()
#: What is said about no document, or of a stroke that has begun.
NOT_ASKED = {"ack", "cancel_work", "end", "cancel"}
KINDS = {
    kind: SCHEMA["$defs"][ref.split("/")[-1]]
    for kind, ref in SCHEMA["discriminator"]["mapping"].items()
    if kind not in NOT_ASKED
}
#: How much likelier than others: what there must be before the rest has anything to work on.
OFTEN = {
    "add_node": 10, "begin": 12, "fill": 6, "place_decal": 8, "add_mask": 5, "make_mask": 5, "change_node": 12,
    "change_mask": 4, "change_decal": 8, "add_region": 3, "undo": 6, "redo": 3, "show": 5, "apply_stencil": 3,
    "group_nodes": 3, "move_nodes": 3, "remove_surface": 0.3,
}  # fmt: skip
#: What of a node belongs to one kind of it.
OWN = {
    "brushed": ["alpha_locked"],
    "wash": ["images", "pigment", "mapping"],
    "adjustment": ["black", "white", "gamma", "low", "high", "hue", "saturation", "lightness", "radius", "amount"],
}
SHARED = ["name", "visible", "opacity", "blend", "mix", "locked"]
NUMBERS = [0, 1, -1, 0.5, 2, 3.5, 30, 90, 0.1]
#: Rules that no schema knows are kept most of the time by leaving these alone.
WITH_RULES = {"curve", "pressure_radius_curve", "pressure_strength_curve", "pressure_hardness_curve", "spacing"}


class Painter:
    """Thinks of something to say."""

    def __init__(self, document: Document, random: Random) -> None:
        self.document, self.random = document, random

    def say(self) -> ClientMessage | None:
        """A message; None where it would be refused before it came to anything."""
        kind = self.random.choices(list(KINDS), [OFTEN.get(each, 1) for each in KINDS])[0]
        self.known = known(self.document)
        said = self._object(KINDS[kind])
        for name in ("stencil", "fence", "mask_value", "mask_values"):
            if name in said and kind != "apply_stencil" and self._rarely(0.7):
                said[name] = None
        try:
            return CLIENT_MESSAGE.validate_python(said)
        except (ValidationError, NightmistError):
            return None

    def place(self) -> tuple[float, float, float]:
        """A pointer sample of a view of 400 × 300 pixels, or of a small map."""
        return self.random.uniform(0, 400), self.random.uniform(0, 300), self.random.random()

    def _rarely(self, share: float) -> bool:
        return self.random.random() < share

    def _object(self, schema: Schema) -> dict[str, Any]:
        given = schema.get("required", [])
        others = [name for name in schema.get("properties", {}) if name not in given]
        optional = [name for name in others if name not in WITH_RULES or self._rarely(0.1)]
        if schema.get("title") == "ChangeNode":
            optional = self._fitting(optional)
        share = min(1.0, 2.2 / max(len(optional), 1)) if len(optional) > 6 else 0.4
        chosen = [*given, *(name for name in optional if self._rarely(share))]
        title = str(schema.get("title"))
        return {name: self._value(title, name, schema["properties"][name]) for name in chosen}

    def _fitting(self, names: list[str]) -> list[str]:
        """What the node that is about to be changed may have."""
        self.known["node"] = [self._one_of(self.known["node"])]
        kind = getattr(self.document.values.get(self.known["node"][0]), "kind", "")
        return [name for name in names if name in (*SHARED, *OWN.get(kind, []))]

    def _one_of(self, several: list[Any]) -> Any:
        return self.random.choice(several) if several else "nothing"

    def _value(self, owner: str, name: str, schema: Schema) -> Any:
        if own := self._by_name(owner, name):
            return own[0]
        if "$ref" in schema:
            return self._value(owner, name, SCHEMA["$defs"][schema["$ref"].split("/")[-1]])
        if several := schema.get("anyOf") or schema.get("oneOf"):
            some = [each for each in several if each.get("type") != "null"]
            return self._value(owner, name, self._one_of(some if self._rarely(0.8) else several))
        if "const" in schema or "enum" in schema:
            return self._one_of(schema.get("enum") or [schema["const"]])
        return getattr(self, f"_{schema.get('type')}_of")(owner, name, schema)

    def _by_name(self, owner: str, name: str) -> list[Any]:
        """Values that look like others, but mean something; none where any will do."""
        uniform = self.random.uniform
        if name == "camera":
            eye = (uniform(-3, 3), uniform(-3, 3), uniform(1, 6))
            return [Camera.look_at(eye, (0, 0, 0), 40, (400, 300))]
        if name in ("size", "sizes") and owner in ("Resize", "ResizeEach"):
            sides = [self._one_of([64, 128, 192]), self._one_of([64, 128])]
            return [{self._one_of(self.known["surface"]): sides} if name == "sizes" else sides]
        if owner == "Stencil" and name in ("center", "size"):
            return [(uniform(10, 400), uniform(10, 300))]
        if owner == "Tip" and name == "radius":
            return [uniform(1, 90)]
        if name == "position" and owner.endswith("Decal"):
            return [(uniform(-2, 2), uniform(-1, 1), 0.0)]
        if name == "normal" and owner.endswith("Decal"):
            return [self._one_of([(0, 0, 1), (0, 0, -1), (0.3, 0.2, 0.9), (0, 0, 0)])]
        if name == "uv":
            return [(uniform(-0.1, 1.1), uniform(-0.1, 1.1)) if owner != "PlaceDecal" or self._rarely(0.3) else None]
        if name == "face":
            return [self.random.randrange(len(self.document.mesh.faces))]
        return [(0, self.random.randint(1, len(self.document.mesh.faces)))] if name == "runs" else []

    def _null_of(self, owner: str, name: str, schema: Schema) -> None:
        return None

    def _boolean_of(self, owner: str, name: str, schema: Schema) -> bool:
        return self._rarely(0.5)

    def _string_of(self, owner: str, name: str, schema: Schema) -> str:
        several = self.known["decal layers"] if name == "layer" and owner == "PlaceDecal" else self.known.get(name)
        return str(self._one_of(["Rust", "Ä", "a" * 40, " ", "x/y"] if several is None else several))

    def _integer_of(self, owner: str, name: str, schema: Schema) -> int:
        low, high = int(schema.get("minimum", schema.get("exclusiveMinimum", -1))), int(schema.get("maximum", 4))
        return self.random.randint(low, max(low, min(high, low + 8)))

    def _number_of(self, owner: str, name: str, schema: Schema) -> float:
        low, high = schema.get("minimum", schema.get("exclusiveMinimum")), schema.get("maximum")
        if self._rarely(0.02):
            return float(self._one_of([0, -1, 1e9, -1e9, 1e-9]))
        if low is None or high is None:
            return float(self._one_of([*NUMBERS, self.random.uniform(-1, 1)]))
        return float(self._one_of([low, high, self.random.uniform(low, high), self.random.uniform(low, high)]))

    def _array_of(self, owner: str, name: str, schema: Schema) -> list[Any]:
        if "prefixItems" in schema:
            return [self._value(owner, name, each) for each in schema["prefixItems"]]
        low = schema.get("minItems", 1)
        count = self.random.randint(low, min(schema.get("maxItems", 5), max(low, 5)))
        if name == "faces":
            ends = [self.random.randrange(len(self.document.mesh.faces)) for _ in range(count)]
            return [(end, end + self.random.randint(1, 4)) for end in ends]
        return [self._value(owner, name, schema["items"]) for _ in range(count)]

    def _object_of(self, owner: str, name: str, schema: Schema) -> dict[str, Any]:
        if name == "layers":
            return {surface: self._one_of(layers) for surface, layers in brushed(self.document).items() if layers}
        if not isinstance(schema.get("additionalProperties"), dict):
            return self._object(schema)
        keys = schema.get("propertyNames", {}).get("enum", ["x"])
        some = self.random.sample(keys, self.random.randint(1, min(3, len(keys))))
        return {key: self._value(owner, name, schema["additionalProperties"]) for key in some}


def brushed(document: Document) -> dict[str, list[str]]:
    """The ids of the layers that take paint, by surface."""
    surfaces = document.surface_values()
    return {s.name: [n.id for n in document.nodes_in(s.id) if isinstance(n, Brushed)] for s in surfaces}


def known(document: Document) -> dict[str, list[str]]:
    """What strings of these names may say."""

    def ids(*kinds: type) -> list[str]:
        return [key for key, value in document.values.items() if isinstance(value, kinds)]

    surfaces = document.surface_values()
    names = [surface.name for surface in surfaces]
    nodes, pictures, regions = ids(*NODES), ids(Picture), ids(Region)
    decals = [decal.id for value in document.values.values() for decal in getattr(value, "placed", ())]
    colors = ["#ff0000", "#123456", "#ffffff"]
    return {
        **dict.fromkeys(("surface", "in_map", "onto"), names),
        **dict.fromkeys(("node", "nodes", "above", "origin", "source"), nodes),
        **dict.fromkeys(("picture", "alpha", "images"), pictures),
        **dict.fromkeys(("region", "fence"), regions),
        **dict.fromkeys(("decal", "decals"), decals),
        **dict.fromkeys(("color", "base_color", "key"), colors),
        "layer": ids(Brushed), "wash": ids(Wash), "decal layers": ids(Decals), "version": ids(Version),
        "parent": [*ids(Group), *(surface.id for surface in surfaces)], "axis": ["x", "y", "z"], "planes": ["x", "xz"],
    }  # fmt: skip
