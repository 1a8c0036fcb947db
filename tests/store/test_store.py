"""What is kept, on a real PostgreSQL."""

from __future__ import annotations

import os
from random import Random

import pytest
from alembic import command as alembic
from sqlalchemy import inspect, text

from nightmist import Tip
from nightmist.store import ArrayData, Entry, NeverStoredError, Store, StoreError, joined
from nightmist.store.cluster import Cluster
from nightmist.store.tables import Base, Shelf

MAPS = ("base_color", "height")
ONE, TWO = "a" * 32, "b" * 32
PIXELS = os.urandom(64 * 64 * 8)


def project(store: Store) -> str:
    change = Entry(
        0,
        0,
        tiles={ONE: (4, PIXELS)},
        placed={("layer", "base_color", 1, 2): ONE},
        arrays={ONE: ArrayData(b"array", None)},
    )
    store.create("p1", "Buoy", b"picture", {"name": "Buoy"}, change)
    return "p1"


def test_a_project_comes_back(store):
    """Model, picture, state, desk and pixels, to the bit."""
    name = project(store)
    store.set_desk(name, {"tool": "erase"})
    assert store.array(name, ONE) == b"array"
    assert store.array(name, TWO) is None
    assert store.picture(name) == b"picture"
    assert store.desk(name) == {"tool": "erase"}
    assert store.position(name) == ({"name": "Buoy"}, 0, 0)
    assert list(store.placed(name)) == [("layer", "base_color", 1, 2, ONE)]
    assert store.tiles(name, [ONE, TWO]) == {ONE: (4, PIXELS)}
    assert [row.name for row in store.projects()] == ["Buoy"]


def test_a_change_is_one_transaction(store):
    """When any part of a change fails, none of it is kept."""
    name = project(store)
    bad = Entry(1, 1, placed={("layer", "base_color", 1, 2): TWO}, steps={0: {"kind": "x" + "\0"}})
    with pytest.raises(StoreError):
        store.keep(name, bad)
    assert list(store.placed(name)) == [("layer", "base_color", 1, 2, ONE)]
    assert store.steps(name) == []
    assert store.position(name)[2] == 0


def test_places_are_set_moved_and_cleared(store):
    """Tiles are replaced and taken away, and a dropped layer leaves nothing."""
    name = project(store)
    store.keep(
        name,
        Entry(1, 1, {TWO: (4, PIXELS)}, placed={("layer", "base_color", 1, 2): TWO, ("other", "height", 0, 0): ONE}),
    )
    assert {place[4] for place in store.placed(name)} == {ONE, TWO}
    store.keep(name, Entry(2, 2, placed={("layer", "base_color", 1, 2): None}))
    assert [place[0] for place in store.placed(name)] == ["other"]
    store.keep(name, Entry(3, 3, emptied={("other", "height")}))
    assert list(store.placed(name)) == []


def test_a_new_step_ends_the_undone_ones(store):
    """Steps at and behind the place of a new one are gone; a step without command moves the cursor only."""
    name = project(store)
    for place in (1, 2, 3):
        store.keep(name, Entry(place, place, steps={place - 1: {"n": place}}))
    store.keep(name, Entry(4, 1))
    assert [step["n"] for step in store.steps(name)] == [1, 2, 3]
    assert store.position(name)[1] == 1
    store.keep(name, Entry(5, 2, steps={1: {"n": 22}}))
    assert [step["n"] for step in store.steps(name)] == [1, 22]


def any_entries(random: Random) -> list[Entry]:
    """Some changes, undone ones among them: tiles placed, moved and taken away, rasters emptied, structures, names."""
    entries, cursor = [], 0
    for revision in range(1, random.randint(2, 14)):
        digests = [f"{random.randrange(12):032x}" for _ in range(random.randrange(3))]
        entry = Entry(revision, max(cursor - random.randint(1, 2), 0), dict.fromkeys(digests, (4, PIXELS)))
        if random.random() < 0.7:
            entry.cursor = cursor + (random.random() < 0.8 or not cursor)
            entry.steps = {entry.cursor - 1: {"n": revision}}
        cursor = entry.cursor
        places = [
            (random.choice("ab"), random.choice(MAPS), random.randrange(2), 0) for _ in range(random.randrange(5))
        ]
        entry.placed = {place: random.choice([None, *digests]) for place in places}
        entry.arrays = {digest: ArrayData(digest.encode(), None) for digest in digests[:1]}
        if random.random() < 0.3:
            entry.emptied = {(random.choice("ab"), random.choice(MAPS))}
        if random.random() < 0.3:
            entry.state, entry.name = {"n": revision}, random.choice([None, f"Buoy {revision}"])
        entries.append(entry)
    return entries


@pytest.mark.parametrize("seed", range(12))
def test_changes_that_are_kept_as_one_leave_what_they_leave_one_by_one(store, seed):
    entries = any_entries(Random(seed))
    start = dict.fromkeys([("a", MAPS[0], 0, 0), ("b", MAPS[1], 1, 0), ("c", MAPS[0], 0, 0)], ONE)
    for name in ("one", "all"):
        store.create(name, "Buoy", None, {}, Entry(0, 0, {ONE: (4, PIXELS)}, placed=dict(start)))
    for entry in entries:
        store.keep("one", entry)
    store.keep("all", joined(entries))
    digests = [ONE, *(f"{number:032x}" for number in range(12))]
    one, together = (
        (
            store.position(name), store.steps(name), sorted(store.placed(name)), store.tiles(name, digests),
            [store.array(name, digest) for digest in digests],
        )
        for name in ("one", "all")
    )  # fmt: skip
    assert one == together
    names = {row.id: row.name for row in store.projects()}
    assert names["one"] == names["all"]


def test_sweep_keeps_just_what_is_referred_to(store):
    """Old steps beyond the depth go, and with them the pixels that only they needed."""
    name = project(store)
    digests = [f"{i:032x}" for i in range(1, 6)]
    for i, digest in enumerate(digests, 1):
        store.keep(
            name,
            Entry(i, i, {digest: (4, PIXELS)}, steps={i - 1: {"edits": [["layer", "base_color", 0, 0, None, digest]]}}),
        )
    store.sweep(name, 3)
    assert [step["edits"][0][5] for step in store.steps(name)] == digests[2:]
    assert store.position(name)[1] == 3
    assert set(store.tiles(name, [*digests, ONE])) == {*digests[2:], ONE}


def test_sweep_keeps_what_tables_of_tiles_name(store):
    """A step names a table, the table its tiles: both stay while the step does, and go with it."""
    name = project(store)
    table, tiles = "c" * 32, [f"{i:032x}" for i in (17, 18)]
    data = ArrayData(b"table", bytes.fromhex("".join(tiles)))
    store.keep(
        name,
        Entry(1, 1, dict.fromkeys(tiles, (4, PIXELS)), {table: data}, steps={0: {"rasters": {"a/b": [table, None]}}}),
    )
    store.sweep(name, 3)
    assert set(store.tiles(name, tiles)) == set(tiles)
    store.keep(name, Entry(2, 1, steps={0: {"n": 2}}))
    store.sweep(name, 3)
    assert store.tiles(name, tiles) == {}
    assert store.array(name, table) is None


@pytest.mark.parametrize("bad", ["a\0b", "half \ud83d"])
def test_what_can_never_be_kept_is_told_apart(store, bad):
    """A value that the database refuses is no outage: trying again will not help."""
    name = project(store)
    with pytest.raises(NeverStoredError):
        store.keep(name, Entry(1, 1, state={"name": bad}))
    with pytest.raises(NeverStoredError):
        store.keep(name, Entry(1, 1, name=bad))
    assert store.position(name) == ({"name": "Buoy"}, 0, 0)


def test_deleting_a_project_deletes_all_of_it(store):
    """Nothing stays behind in any table; what lies on a shelf for all projects does."""
    name = project(store)
    store.keep(name, Entry(1, 1, steps={0: {"n": 1}}))
    store.set_shelf("tips", ["Reed"])
    store.delete(name)
    assert store.shelf("tips") == ["Reed"]
    with store.engine.connect() as connection:
        for table in Base.metadata.tables.keys() - {Shelf.__tablename__}:
            assert connection.scalar(text(f"select count(*) from {table}")) == 0
    with pytest.raises(StoreError, match="no project"):
        store.picture(name)


def test_migrations_make_the_tables_the_code_expects(store):
    """Columns in the database are those of the classes, no more and no less."""
    found = inspect(store.engine)
    for name, table in Base.metadata.tables.items():
        assert {c["name"] for c in found.get_columns(name)} == {c.name for c in table.columns}
        assert {c["name"]: c["nullable"] for c in found.get_columns(name)} == {
            c.name: c.nullable for c in table.columns
        }


def test_older_tips_get_a_pressure_curve_for_each_value(store):
    """What strokes, desks and presets from before say of pressure stays so, and goes back."""
    name = project(store)
    old = {"radius": 20, "pressure_radius": True, "pressure_least": 0.3, "pressure_gamma": 2.0}
    alembic.downgrade(store.migrations, "0002")
    store.set_desk(name, {"tool": "brush", "tip": old})
    store.keep(name, Entry(1, 1, steps={0: {"kind": "paint", "stroke": {"tip": old}}}))
    store.set_shelf("presets", [{"name": "Reed", "tip": old}])
    store.migrate()
    curve = {"least": 0.3, "gamma": 2.0}
    wanted = {"radius": 20, "pressure_radius": True} | {
        f"pressure_{value}_curve": curve for value in ("radius", "strength", "hardness")
    }
    assert store.desk(name) == {"tool": "brush", "tip": wanted}
    assert [step["stroke"]["tip"] for step in store.steps(name)] == [wanted]
    assert store.shelf("presets") == [{"name": "Reed", "tip": wanted}]
    assert Tip(**wanted).pressure_radius_curve.gamma == 2
    alembic.downgrade(store.migrations, "0002")
    assert store.desk(name)["tip"] == old
    store.migrate()


def test_one_server_at_a_time(store, cluster):
    """A second server on the same database is told no; after the first has gone it may."""
    second = Store(cluster.start())
    assert store.hold_serving_lock()
    assert not second.hold_serving_lock()
    store.close()
    assert second.hold_serving_lock()
    second.close()


def test_a_cluster_survives_being_killed(tmp_path_factory):
    """What was committed is there after a crash and a new start; a server left running is found again."""
    folder = tmp_path_factory.mktemp("crash")
    for above in (folder, folder.parent, folder.parent.parent):
        above.chmod(0o755)
    cluster = Cluster(folder)
    store = Store(cluster.start())
    store.migrate()
    name = project(store)
    assert Cluster(folder).start() == cluster.start()
    cluster.kill()
    with pytest.raises(StoreError):
        store.keep(name, Entry(1, 1))
    store.close()
    again = Store(cluster.start())
    assert again.tiles(name, [ONE]) == {ONE: (4, PIXELS)}
    again.close()
    cluster.stop()


def test_reference_pictures_are_pinned_all_or_none(store):
    """They come back in the order of pinning; a name that is taken keeps all of a batch out."""
    name = project(store)
    store.pin(name, {"quay.png": b"quay"})
    store.pin(name, {"buoy.png": b"buoy"})
    assert store.references(name) == ["quay.png", "buoy.png"]
    with pytest.raises(StoreError):
        store.pin(name, {"new.png": b"new", "quay.png": b"other"})
    assert store.references(name) == ["quay.png", "buoy.png"]
    assert store.reference(name, "quay.png") == b"quay"
    store.take_off(name, "quay.png")
    assert store.reference(name, "quay.png") is None
    store.delete(name)
    assert store.references(name) == []
