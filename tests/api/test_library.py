"""The picture library for all projects, and finishes that are forgotten and brought back, through REST."""

from __future__ import annotations

import contextlib
import io
from concurrent.futures import ThreadPoolExecutor
from threading import Barrier, BrokenBarrierError

import numpy as np
import pytest
from PIL import Image

from nightmist.api import tips
from nightmist.core.formats.image_files import read_picture, write_png
from nightmist.store import Store

from .test_api import client, create  # noqa: F401

SMALL = np.random.default_rng(4).integers(0, 256, (20, 30, 4), np.uint8)


def library(client):  # noqa: F811
    return client.get("/api/pictures").json()


def add(client, project, name="mark.png", data=None):  # noqa: F811
    files = [("files", (name, write_png(SMALL) if data is None else data))]
    return client.post(f"/api/projects/{project}/library", files=files)


def test_what_ships_with_us_is_at_hand_in_every_project(client):  # noqa: F811
    shipped = library(client)
    assert {"Rust run", "Compass rose", "Letters"} < {each["name"] for each in shipped}
    assert not any(each["own"] for each in shipped)
    rose = next(each for each in shipped if each["name"] == "Compass rose")
    small = Image.open(io.BytesIO(client.get(f"/api/pictures/{rose['file']}/thumbnail").content))
    assert max(small.size) == 64
    project = create(client).json()["id"]
    picture = client.post(f"/api/projects/{project}/library/take/{rose['file']}").json()
    again = client.post(f"/api/projects/{project}/library/take/{rose['file']}").json()
    assert picture == again
    whole = client.get(f"/api/projects/{project}/library/{picture}/picture").content
    assert Image.open(io.BytesIO(whole)).size == (rose["width"], rose["height"])
    refused = client.delete(f"/api/pictures/{rose['file']}")
    assert (refused.status_code, "comes with Nightmist" in refused.json()["message"]) == (422, True)


def test_what_cannot_be_read_does_not_hold_the_others_back(client):  # noqa: F811
    """Good, bad, good: two are taken, and of the third it is told why not; with none that can be read it is refused."""
    project = create(client).json()["id"]
    bad, other = ("files", ("notes.png", b"words")), np.rot90(SMALL)
    files = [("files", ("a.png", write_png(SMALL))), bad, ("files", ("b.png", write_png(other)))]
    taken = client.post(f"/api/projects/{project}/library", files=files).json()
    shown = [client.get(f"/api/projects/{project}/library/{each}/picture").content for each in taken["pictures"]]
    for data, pixels in zip(shown, (SMALL, other), strict=True):
        assert (read_picture("shown.png", data) == pixels.astype(np.uint16) * 257).all()
    assert (len(taken["notes"]), "notes.png cannot be read" in taken["notes"][0]) == (1, True)
    refused = client.post(f"/api/projects/{project}/library", files=[bad])
    assert (refused.status_code, "notes.png cannot be read" in refused.json()["message"]) == (422, True)


def test_of_two_that_keep_something_at_the_same_moment_both_do(client, monkeypatch):  # noqa: F811
    project = create(client).json()["id"]
    pictures = [add(client, project, data=write_png(np.rot90(SMALL, turns))).json()["pictures"][0] for turns in (0, 1)]
    reads, both = Store.shelf, Barrier(2)

    def shelf(store, name):
        found = reads(store, name)
        # Whoever may read before the other has written does.
        with contextlib.suppress(BrokenBarrierError):
            both.wait(0.5)
        return found

    monkeypatch.setattr(Store, "shelf", shelf)
    with ThreadPoolExecutor() as pool:
        keep = list(pool.map(lambda key: client.post(f"/api/projects/{project}/library/{key}/keep"), pictures))
    assert [answer.status_code for answer in keep] == [200, 200]
    assert len([each for each in library(client) if each["own"]]) == 2


def test_a_picture_that_is_kept_comes_into_another_project_to_the_bit(client):  # noqa: F811
    first, second = (create(client).json()["id"] for _ in range(2))
    picture = add(client, first).json()["pictures"][0]
    kept = client.post(f"/api/projects/{first}/library/{picture}/keep").json()
    assert (kept["name"], kept["width"], kept["height"], kept["own"]) == ("mark.png", 30, 20, True)
    # Kept twice it is there once; another project has it even after the first is gone.
    client.post(f"/api/projects/{first}/library/{picture}/keep")
    assert [each["name"] for each in library(client) if each["own"]] == ["mark.png"]
    client.delete(f"/api/projects/{first}")
    taken = client.post(f"/api/projects/{second}/library/take/{kept['file']}").json()
    shown = client.get(f"/api/projects/{second}/library/{taken}/picture").content
    assert (read_picture("shown.png", shown) == SMALL.astype(np.uint16) * 257).all()
    gone = client.delete(f"/api/pictures/{kept['file']}").json()
    assert not any(each["own"] for each in library(client))
    missing = client.post(f"/api/projects/{second}/library/take/{kept['file']}")
    assert (missing.status_code, "any more" in missing.json()["message"]) == (422, True)
    assert client.post("/api/pictures", json=gone).status_code == 204
    assert [each["file"] for each in library(client) if each["own"]] == [kept["file"]]
    for wrong in ("no base64!", "bm8gcGljdHVyZQ=="):
        answer = client.post("/api/pictures", json={**gone, "data": wrong})
        assert (answer.status_code, "mark.png" in answer.json()["message"]) == (422, True)
    assert len([each for each in library(client) if each["own"]]) == 1


def test_what_is_no_picture_is_refused_in_words_without_insides(client):  # noqa: F811
    project = create(client).json()["id"]
    for data, said in ((b"only words", "no PNG, JPEG"), (write_png(SMALL)[:200], "cut off or damaged")):
        answer = add(client, project, "note.png", data)
        assert answer.status_code == 422
        assert "note.png" in answer.json()["message"]
        assert said in answer.json()["message"]
        assert "object at" not in answer.json()["message"]


def test_a_finish_that_was_forgotten_can_be_brought_back(client):  # noqa: F811
    assert client.delete("/api/finishes/Rust").status_code == 422
    group = {"kind": "group", "id": "a" * 12, "parent": "b" * 12, "order": 0.5, "name": "Old boat"}
    finish = {"name": "Old boat", "nodes": [group]}
    assert client.post("/api/finishes", json=finish).json()["name"] == "Old boat"
    assert {"name": "Old boat", "own": True} in client.get("/api/finishes").json()
    gone = client.delete("/api/finishes/Old boat").json()
    assert {"name": "Old boat", "own": True} not in client.get("/api/finishes").json()
    client.post("/api/finishes", json=gone)
    # Nothing takes the place of what is kept under its name, be it ours or the painter's.
    assert client.post("/api/finishes", json=gone).json()["name"] == "Old boat 2"
    assert client.post("/api/finishes", json={**gone, "name": "Rust"}).json()["name"] == "Rust 2"
    names = [each["name"] for each in client.get("/api/finishes").json() if each["own"]]
    assert names == ["Old boat", "Old boat 2", "Rust 2"]


def test_full_shelves_take_nothing_more_and_lose_nothing(client, monkeypatch):  # noqa: F811
    monkeypatch.setattr(tips, "LIBRARY", 1)
    monkeypatch.setattr(tips, "PRESETS", 2)
    project = create(client).json()["id"]
    path = f"/api/projects/{project}/tips"
    assert client.post(path, files=[("files", ("one.png", write_png(SMALL)))]).status_code == 200
    full = client.post(path, files=[("files", ("two.png", write_png(SMALL[:, ::-1].copy())))])
    assert (full.status_code, "1 tips at most" in full.json()["message"]) == (422, True)
    assert [tip["name"] for tip in client.get(path).json() if tip["own"]] == ["one"]
    presets = [{"name": name, "tip": {}} for name in "abc"]
    assert client.put("/api/presets", json=presets[:2]).status_code == 204
    assert client.put("/api/presets", json=presets).status_code == 422
    assert [preset["name"] for preset in client.get("/api/presets").json()] == ["a", "b"]


@pytest.mark.parametrize("of", ["paint", "mask"])
def test_a_layer_that_was_just_taken_back_has_an_empty_thumbnail(client, of):  # noqa: F811
    """A page may ask before it has heard of it."""
    project = create(client).json()["id"]
    answer = client.get(f"/api/projects/{project}/nodes/0123456789ab/thumbnail?of={of}")
    assert answer.status_code == 200
    assert np.asarray(Image.open(io.BytesIO(answer.content)))[..., 3].max() == 0
