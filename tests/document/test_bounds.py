"""What a document holds, in bytes: composites cost what is painted, caches and pools stay within their bounds."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist import Camera, Document, Pigment, Tip
from nightmist.core.errors import NightmistError
from nightmist.document import room
from nightmist.document.derived.cache import Cache
from nightmist.document.derived.pool import Pool

from ..shapes import plane, walls

CAMERA = Camera.look_at((0, 0, 6), (0, 0, 0), 40, (400, 300))
TILE_BYTES = 64 * 64 * 4 * 2


def composites(doc: Document) -> int:
    doc.refresh()
    return sum(composite.nbytes for composite in doc.composites.values())


def test_composites_cost_what_is_painted():
    """Two maps of 2048: next to nothing when empty or filled, the touched tiles after a stroke, nothing once undone."""
    doc = Document.from_mesh(walls(), "Pier", (2048, 2048))
    layer = doc.surfaces["left"].layers.add("brushed")
    bare = composites(doc)
    assert bare < 6 * 32 * 32 * 16
    doc.stroke(layer, [(150, 150), (152, 150)], CAMERA, Tip(radius=10, strength=0.5), Pigment(base_color="#ff0000"))
    painted = composites(doc)
    tiles = sum(1 for _ in doc.raster(layer.id, "base_color").tiles)
    # A tile more where a gutter takes paint in.
    assert TILE_BYTES * tiles <= painted - bare <= TILE_BYTES * (tiles + 2 * 32)
    doc.undo()
    assert composites(doc) == bare
    doc.fill(layer, Pigment(base_color="#336699"), region=None)
    assert composites(doc) - bare < 0.5 * 2048 * 2048 * 8


@pytest.mark.parametrize("limit", [1 << 20, 5 << 20])
def test_a_pool_stays_within_its_bytes_once_things_are_stored(limit):
    """Arrays that can be loaded again go, the oldest first; what is not stored yet stays."""
    kept = {}
    pool = Pool(kept.get, limit)
    rng = np.random.default_rng(0)
    digests = []
    for _ in range(300):
        array = rng.integers(0, 65536, (64, 64, 4)).astype(np.uint16)
        digest = pool.add(array)
        kept[digest] = array
        digests.append(digest)
    assert pool.bytes == 300 * TILE_BYTES
    # What cannot go is not looked through with every array that comes.
    assert not pool.loose
    pool.stored(digests)
    assert limit - TILE_BYTES < pool.bytes <= limit
    assert digests[-1] in pool.held
    assert np.array_equal(pool.get(digests[0]), kept[digests[0]])
    assert pool.bytes <= limit


def test_a_cache_counts_what_grows_and_forgets_the_oldest():
    """Things grow after they were made; beyond the bound what was not asked for lately is made anew."""
    cache, made = Cache(1000), []

    def get(name, size):
        thing = cache.get(name, lambda: made.append(name) or {"bytes": size}, lambda held: held["bytes"])
        thing["bytes"] = size
        return thing

    get("a", 300)
    get("b", 300)
    cache.next_turn()
    assert cache.total == 600
    get("b", 900)
    cache.next_turn()
    assert cache.total == 900
    assert "a" not in cache.held
    get("a", 100)
    assert made == ["a", "b", "a"]


def test_many_cameras_do_not_pile_up():
    """What each of a hundred cameras sees is kept within the cache's bound."""
    doc = Document.from_mesh(plane(), "Wall", (256, 256))
    doc.cache.most = 3 << 20
    layer = next(iter(doc.surfaces.values())).layers.add("brushed")
    for number in range(30):
        camera = Camera.look_at((0.1 * number, 0, 4), (0, 0, 0), 40, (640, 480))
        doc.stroke(layer, [(320, 240), (330, 240)], camera, Tip(radius=10), Pigment(base_color="#203040"))
    # Beyond it only what the newest stroke asked for.
    assert doc.cache.total <= (3 << 20) + 2 * 640 * 480 * 4


def test_maps_that_cannot_fit_into_memory_are_refused(monkeypatch, tmp_path):
    """By a resize, a model, a project file, another surface; what a larger machine made is kept as it is."""
    doc = Document.from_mesh(walls(), "Pier", (512, 512))
    doc.surfaces["left"].layers.add("brushed")
    kept, state = tmp_path / "pier.nightmist", doc.state()
    doc.save(kept)
    monkeypatch.setattr(room, "memory", lambda: 2 * 1024 * 1024 * 24)
    doc.resize("left", 1024)
    doc.undo()
    for refused in (
        lambda: doc.resize(None, 2048),
        lambda: doc.resize_each({"left": 1024, "right": (1024, 1088)}),
        lambda: Document.from_mesh(walls(), "Pier", (1024, 1088)),
    ):
        with pytest.raises(NightmistError, match=r"^2 maps of up to .* would take 0 GB once all is painted"):
            refused()
    assert doc.state() == state
    monkeypatch.setattr(room, "memory", lambda: 512 * 512 * 24)
    with pytest.raises(NightmistError, match="Choose smaller maps"):
        Document.load(kept)
    with pytest.raises(NightmistError, match="3 maps"):
        doc.assign_faces(doc.mesh.faces_of(0)[:1])
    doc.resize("left", 256)
    doc.set_gutter("right", 8)
    assert doc.surfaces["left"].size == (256, 256)
