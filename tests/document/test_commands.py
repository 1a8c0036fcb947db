"""The law of commands: apply, then invert, is the identity, to the bit; and JSON keeps all of it."""

from __future__ import annotations

import contextlib

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nightmist import Camera, Document, NightmistError, Pigment, Tip
from nightmist.document.change import Change
from nightmist.document.contents import InOrder
from nightmist.document.derived.pool import Pool, digest_of
from nightmist.document.history import DEPTH, History
from nightmist.document.values import MAPS, PROJECT

from ..shapes import walls

CAMERA = Camera.look_at((0, 0, 6), (0, 0, 0), 40, (400, 300))


def document() -> Document:
    doc = Document.from_mesh(walls(), "law", (64, 128))
    for surface in doc.surfaces.values():
        surface.layers.add("brushed", name="Coat")
    return doc


def whole(doc: Document):
    """Everything undo gives back: structure but for hidden parts, pixels of layers, composited maps and normals."""
    # Nothing that was found in order before a change is left after it.
    assert doc.in_order == InOrder.of(doc.values.values())
    layers = {i: {n: layer.read(n).tobytes() for n in MAPS} for i, layer in doc.layers.items()}
    shown = {n: {m: s.read(m).tobytes() for m in (*MAPS, "normal")} for n, s in doc.surfaces.items()}
    return {**doc.values, PROJECT: doc.project.but(hidden_parts=())}, layers, shown


def change(doc: Document, kind: str, dice: int) -> None:
    """One of the changes a painter can make, chosen and varied by a number."""
    surface = doc.surfaces[["left", "right"][dice % 2]]
    pigment = Pigment(base_color=f"#{dice * 7919 % 0xFFFFFF:06x}", height=dice % 10 / 10, opacity=dice % 3 / 2)
    layer = surface.layers[dice % len(surface.layers)] if len(surface.layers) else None
    if kind == "add" or layer is None:
        surface.layers.add("brushed", index=dice % 3)
    elif kind == "remove":
        surface.layers.remove(layer)
    elif kind == "move":
        surface.layers.move(layer, dice // 3 % len(surface.layers))
    elif kind == "set":
        layer.change(opacity=dice % 11 / 10, blend=["multiply", "screen", "hue"][dice % 3], name=f"Layer {dice}")
    elif kind == "depth":
        surface.depth = dice / 100
    elif kind == "refit":
        refit(doc, surface.name, dice)
    elif kind == "fill":
        doc.fill(layer, pigment, surface.name)
    elif kind == "gradient":
        doc.gradient(layer, (-2, 0, 0), (2, 0.1, 0), (pigment, Pigment(base_color="#ffffff", height=0.5, opacity=1)))
    else:
        path = [(100 + dice % 90, 150), (300 - dice % 70, 100 + dice % 60)]
        doc.stroke(layer, path, CAMERA, Tip(radius=25, strength=0.6), pigment, tool="brush" if dice % 3 else "erase")


def refit(doc: Document, surface: str, dice: int) -> None:
    """A change of UVs, maps or surfaces; those that would change nothing are let be."""
    faces = doc.surfaces[surface].faces
    ways = [
        lambda: doc.unwrap(surface, "box", margin=2),
        lambda: doc.move_islands(surface, faces, (0.9, 0.1, 0, 0.9, dice % 5, 1)),
        lambda: doc.resize(surface, (128, 64) if doc.surfaces[surface].size != (128, 64) else 64),
        lambda: doc.assign_faces(faces[: dice % 7 + 1], name="Rim"),
        lambda: doc.mark_seams(int(faces[0]), dice % 3, "loop", marked=dice % 4 > 0),
    ]
    with contextlib.suppress(NightmistError):
        ways[dice % len(ways)]()


KINDS = ["add", "remove", "move", "set", "depth", "fill", "gradient", "refit", "refit", "stroke", "stroke"]


@settings(max_examples=25, deadline=None, derandomize=True)
@given(st.lists(st.tuples(st.sampled_from([*KINDS, "hide"]), st.integers(0, 9999)), min_size=1, max_size=9))
def test_undo_is_the_identity_and_redo_the_same_again(steps):
    """After any changes: undo one by one passes through the same states backwards, redo forwards.

    Parts that are hidden stay so, whatever is undone and redone.
    """
    doc = document()
    states = [whole(doc)]
    places = [doc.history.place]
    for kind, dice in steps:
        if kind == "hide":
            doc.hide_parts([] if doc.project.hidden_parts else [dice % 2])
        else:
            # What would lie on hidden parts alone is refused.
            with contextlib.suppress(NightmistError):
                change(doc, kind, dice)
        if doc.history.place != places[-1]:
            states.append(whole(doc))
            places.append(doc.history.place)
    hidden = doc.project.hidden_parts
    for state in reversed(states[:-1]):
        doc.undo()
        assert (whole(doc), doc.project.hidden_parts) == (state, hidden)
    for state in states[1:]:
        doc.redo()
        assert (whole(doc), doc.project.hidden_parts) == (state, hidden)


@pytest.mark.parametrize("kind", KINDS[:-1])
def test_json_keeps_all_of_a_command(kind):
    """A command read back from its JSON does and undoes the same."""
    doc = document()
    change(doc, "fill", 4)
    change(doc, "add", 4)
    before = whole(doc)
    change(doc, kind, 10)
    after = whole(doc)
    command = Change.model_validate_json(doc.history.changes[-1].model_dump_json())
    assert command == doc.history.changes[-1]
    doc.apply(command.inverse())
    assert whole(doc) == before
    doc.apply(command)
    assert whole(doc) == after
    assert command.label


def test_a_new_change_ends_what_could_be_redone():
    """After undo and another change, the undone one is gone and redo says so."""
    doc = document()
    doc.undo()
    doc.surfaces["left"].layers.add("brushed", name="Other")
    with pytest.raises(NightmistError, match="nothing to redo"):
        doc.redo()
    doc.undo()
    doc.undo()
    with pytest.raises(NightmistError, match="nothing to undo"):
        doc.undo()


def test_history_forgets_the_oldest_and_keeps_its_place():
    """Beyond its depth the oldest commands fall out; the place counts on."""
    doc = document()
    command = doc.history.changes[0]
    history = History()
    for _ in range(DEPTH + 25):
        history.push(command)
    assert len(history.changes) == DEPTH
    assert history.place == DEPTH + 25


def test_the_pool_is_bounded_but_never_drops_what_is_not_stored():
    """Stored tiles leave memory beyond the limit and come back through the loader; pinned ones stay."""
    shelf = {}
    pool = Pool(shelf.get, limit=4 * 64 * 64 * 8)
    tiles = [np.full((64, 64, 4), i, np.uint16) for i in range(10)]
    digests = [pool.add(tile) for tile in tiles]
    assert pool.bytes == 10 * 64 * 64 * 8
    for digest, tile in zip(digests[:8], tiles[:8], strict=True):
        shelf[digest] = tile.copy()
    pool.stored(digests[:8])
    pool.add(np.full((64, 64, 4), 99, np.uint16))
    assert pool.bytes <= 4 * 64 * 64 * 8
    for digest, tile in zip(digests, tiles, strict=True):
        assert (pool.get(digest) == tile).all()
    with pytest.raises(NightmistError, match="missing"):
        pool.get("0" * 32)


def test_digests_tell_content_and_shape_apart():
    """Equal tiles share a digest; one bit or one channel makes another."""
    tile = np.zeros((64, 64, 4), np.uint16)
    other = tile.copy()
    other[63, 63, 3] = 1
    assert digest_of(tile) == digest_of(tile.copy())
    assert digest_of(tile) != digest_of(other)
    assert digest_of(np.zeros((64, 64, 2), np.uint16)) != digest_of(np.zeros((64, 64, 1), np.uint16))


def test_layer_properties_refuse_nonsense():
    """Opacity above 1, unknown blend modes and empty names leave the layer as it was."""
    doc = document()
    layer = doc.surfaces["left"].layers[0]
    before = whole(doc)
    for name, value in (("opacity", 1.5), ("blend", "burnish"), ("name", ""), ("opacity", float("nan"))):
        with pytest.raises(NightmistError, match="Coat cannot take"):
            setattr(layer, name, value)
    with pytest.raises(NightmistError, match="kind of layer"):
        doc.surfaces["left"].layers.add("folder")
    with pytest.raises(NightmistError, match="left, right"):
        doc.surface("middle")
    assert whole(doc) == before
