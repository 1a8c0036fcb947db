"""REST and the paint socket, as a page would use them and as others should not."""

from __future__ import annotations

import asyncio
import io
import json
import struct
import zipfile
from urllib.parse import quote

import numpy as np
import pytest
from PIL import Image
from starlette.testclient import TestClient
from starlette.websockets import WebSocketDisconnect

from nightmist.api import create_app, guard, wire
from nightmist.core.errors import NightmistError
from nightmist.core.formats.gltf_write import write_glb
from nightmist.core.formats.image_files import write_png
from nightmist.studio import Studio
from nightmist.studio.client_updates import Batch, Rectangle, Timing

from ..shapes import walls

GLB = write_glb(walls())
CAMERA = {"eye": [0, 0, 6], "target": [0, 0, 0], "fov_y": 40, "viewport": [400, 300]}


@pytest.fixture
def client(store, tmp_path):
    """The application as a page on this machine reaches it."""
    studio = Studio(store)
    app = create_app(studio, web=tmp_path)
    with TestClient(app, base_url="http://127.0.0.1:8765", raise_server_exceptions=False) as made:
        yield made


def create(client, files=None, size=256) -> dict:
    given = files or {"pier.glb": GLB}
    return client.post(
        "/api/projects", files=[("files", (name, data)) for name, data in given.items()], data={"size": str(size)}
    )


def test_from_upload_to_hand_off(client):
    """Bring a model in, see it in the gallery, fetch it, its maps and the painted model, delete it."""
    made = create(client).json()
    card = client.get("/api/projects").json()[0]
    assert (card["id"], card["name"]) == (made["id"], "pier")
    base = f"/api/projects/{made['id']}"
    picture = Image.open(io.BytesIO(client.get(f"{base}/picture.png").content))
    assert picture.size == (480, 360)
    assert client.get(f"{base}/mesh").content[:4] == b"NMM1"
    for bits, kind in (("8", np.uint8), ("16", np.uint16)):
        packed = zipfile.ZipFile(io.BytesIO(client.get(f"{base}/maps.zip?bits={bits}").content))
        names = packed.namelist()
        assert len(names) == 10
        assert "maps/pier_left_base_color_256.png" in names
        rough = np.asarray(Image.open(io.BytesIO(packed.read("maps/pier_left_roughness_256.png"))))
        assert rough.shape == (256, 256)
        assert rough.max() == np.iinfo(kind).max // 2 + 1
    assert client.get(f"{base}/map_names", params={"names": "{map}-{surface}"}).json()[0] == "base_color-left.png"
    refused = client.get(f"{base}/maps.zip", params={"names": "{map}"})
    assert (refused.status_code, "Several files" in refused.json()["message"]) == (422, True)
    assert client.get(f"{base}/painted.glb").content[:4] == b"glTF"
    other = create(client, {"буй.glb": GLB}).json()["id"]
    said = client.get(f"/api/projects/{other}/painted.glb").headers["Content-Disposition"]
    assert said.endswith(f"filename*=UTF-8''{quote(chr(0x431) + chr(0x443) + chr(0x439))}.glb")
    assert client.get(f"{base}/maps.zip?bits=12").status_code == 422
    checked = client.get(f"{base}/checkup").json()
    assert [(c["surface"], c["findings"], c["islands"]) for c in checked] == [("left", [], 1), ("right", [], 1)]


def test_as_many_files_as_a_zip_may_hold_come_side_by_side(client):
    """A picture for each of seventy materials; beyond what can be taken it is said how many."""
    files, faces = {}, ["mtllib many.mtl", "vt 0 0", "vt 1 0", "vt 0 1"]
    for number in range(70):
        files[f"maps/{number}.png"] = write_png(np.full((4, 4), number, np.uint8))
        faces += [f"v {number} 0 0", f"v {number + 1} 0 0", f"v {number} 1 0", f"usemtl m{number}", "f -3/1 -2/2 -1/3"]
    files["many.mtl"] = "".join(f"newmtl m{n}\nmap_Kd {n}.png\n" for n in range(70)).encode()
    made = create(client, files | {"many.obj": "\n".join(faces).encode()}, size=64).json()["id"]
    packed = zipfile.ZipFile(io.BytesIO(client.get(f"/api/projects/{made}/maps.zip").content))
    assert sum("base_color" in name for name in packed.namelist()) == 70
    refused = create(client, {f"{number}.png": b"" for number in range(501)})
    assert refused.status_code == 422
    assert "At most 500 files" in refused.json()["message"]


def test_a_project_once_more_and_as_a_file(client):
    """Duplicated under a name of its own; written to a file and opened from it; a file of rubbish is refused."""
    made = create(client).json()["id"]
    twin = client.post(f"/api/projects/{made}/copy").json()["id"]
    answer = client.get(f"/api/projects/{made}/project.nightmist")
    assert 'filename="pier.nightmist"' in answer.headers["Content-Disposition"]
    again = create(client, {"Pier.NIGHTMIST": answer.content}).json()["id"]
    names = {card["id"]: card["name"] for card in client.get("/api/projects").json()}
    assert (names[made], names[twin], names[again]) == ("pier", "pier 2", "pier")
    maps = [client.get(f"/api/projects/{project}/maps.zip?bits=16").content for project in (made, twin, again)]
    zips = [zipfile.ZipFile(io.BytesIO(data)) for data in maps]
    pictures = [{name.split("_", 1)[1]: packed.read(name) for name in packed.namelist()} for packed in zips]
    assert pictures[0] == pictures[1] == pictures[2]
    refused = create(client, {"broken.nightmist": answer.content[:200]})
    assert (refused.status_code, "not a sound Nightmist project" in refused.json()["message"]) == (422, True)
    assert "no such project" in client.post("/api/projects/nothing/copy").json()["message"]


def test_delete(client):
    """A deleted project is gone from the gallery and everywhere."""
    made = create(client).json()
    assert client.delete(f"/api/projects/{made['id']}").status_code == 204
    assert client.get("/api/projects").json() == []
    assert client.get(f"/api/projects/{made['id']}/painted.glb").status_code == 422


@pytest.mark.parametrize(
    ("files", "size", "message"),
    [
        ({"a.glb": GLB[:500]}, 256, "cut off"),
        ({"a.glb": b"glTF" + bytes(300)}, 256, "version 0"),
        ({"a.txt": b"x"}, 256, "None of these files is a model"),
        ({"a.glb": GLB, "b.obj": b""}, 256, "several models"),
        ({"a.glb": GLB}, 1000, "multiple of 64"),
        ({"a.obj": b"v 0 0 nan\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"}, 256, "not a number"),
        ({"a.gltf": b'{"asset": {"version": "2.0"}, "scenes": 5}'}, 256, "damaged"),
    ],
)
def test_bad_uploads_leave_nothing_behind(client, files, size, message):
    """A sentence, no project, and the server goes on."""
    answer = create(client, files, size)
    assert answer.status_code == 422
    assert message in answer.json()["message"]
    assert client.get("/api/projects").json() == []


@pytest.mark.parametrize(
    "headers",
    [
        {"host": "evil.test"},
        {"host": "127.0.0.1.evil.test:8765"},
        {"origin": "http://evil.test"},
        {"origin": "http://127.0.0.1:9999"},
        {"origin": "null"},
        {"content-length": str(1 << 40)},
    ],
)
def test_strangers_are_refused(client, headers):
    """Other names in Host, other pages in Origin, and bodies too long, on HTTP and on the socket."""
    answer = client.request("GET", "/api/projects", headers=headers)
    assert answer.status_code in (403, 413)
    assert answer.json()["message"]
    if "content-length" not in headers:
        with (
            pytest.raises(WebSocketDisconnect),
            client.websocket_connect("ws://127.0.0.1:8765/api/projects/x/paint", headers=headers),
        ):
            pass


def test_uploads_under_way_have_a_bound_together(monkeypatch):
    """While one is being taken, another that would be too much is asked to wait; afterwards there is room again."""
    monkeypatch.setattr(guard, "MOST_UNDER_WAY", 1000)
    answers = []

    async def send(message):
        if message["type"] == "http.response.start":
            answers.append(message["status"])

    async def receive():
        return {"type": "http.request", "body": b"", "more_body": False}

    async def scenario():
        arrived = asyncio.Event()

        async def slow(scope, receive, send):
            await arrived.wait()
            await send({"type": "http.response.start", "status": 200, "headers": []})

        guarded = guard.Guard(slow, ())
        headers = [(b"host", b"localhost"), (b"content-length", b"700")]
        scope = {"type": "http", "method": "POST", "path": "/", "headers": headers}
        first = asyncio.create_task(guarded(scope, receive, send))
        await asyncio.sleep(0)
        await guarded(scope, receive, send)
        assert answers == [503]
        arrived.set()
        await first
        assert guarded.under_way == 0
        await guarded(scope, receive, send)

    asyncio.run(scenario())
    assert answers == [503, 200, 200]


@pytest.mark.parametrize(
    ("listens_on", "named", "status"),
    [
        ("192.0.2.7", "192.0.2.7:8765", 200),
        ("192.0.2.7", "192.0.2.8:8765", 403),
        ("[fd00::2]", "[fd00::2]:8765", 200),
        ("0.0.0.0", "192.0.2.8:8765", 200),
        ("::", "[fd00::2]:8765", 200),
        ("0.0.0.0", "desk:8765", 200),
        ("0.0.0.0", "evil.test", 403),
        ("0.0.0.0", "192.0.2.8.evil.test:8765", 403),
    ],
)
def test_other_machines_come_by_a_name_of_ours_or_an_address(store, listens_on, named, status):
    """Where all addresses are listened on, by any of them; never by a name that anybody could have made."""
    with TestClient(create_app(Studio(store), (listens_on, "desk")), base_url="http://127.0.0.1:8765") as client:
        assert client.get("/api/projects", headers={"host": named}).status_code == status


def test_pages_may_load_from_here_only(client):
    """The content security policy stands on every answer."""
    answer = client.get("/api/projects", headers={"origin": "http://127.0.0.1:8765"})
    assert answer.status_code == 200
    assert "default-src 'self'" in answer.headers["content-security-policy"]
    assert "frame-ancestors 'none'" in answer.headers["content-security-policy"]


def test_the_desk_is_kept_and_bounded(client):
    """What is at hand comes with the next welcome; what no desk holds, or no project takes, is refused in words."""
    base = f"/api/projects/{create(client).json()['id']}"
    assert client.put(f"{base}/desk?client=a", json={"tool": "erase"}).status_code == 204
    wrong = [({"tool": "x" * (1 << 20)}, 422, "more than a desk holds"), ({"tool": "\0"}, 422, "cannot hold")]
    for desk, status, sentence in [*wrong, ([1], 422, "cannot be done")]:
        answer = client.put(f"{base}/desk", json=desk)
        assert answer.status_code == status
        assert sentence in answer.json()["message"]
    assert client.put("/api/projects/nothing/desk", json={}).status_code == 404
    with client.websocket_connect(f"ws://127.0.0.1:8765{base}/paint") as socket:
        assert json.loads(socket.receive_text())["desk"] == {"tool": "erase"}


def test_unknown_projects(client):
    """A sentence on REST; on the socket a refusal and a close that is not to be tried again."""
    assert "no such project" in client.get("/api/projects/nothing/maps.zip").json()["message"]
    assert "no such project" in client.get("/api/projects/nothing/picture.png").json()["message"]
    assert "cannot hold" in client.get("/api/projects/%00/maps.zip").json()["message"]
    with client.websocket_connect("ws://127.0.0.1:8765/api/projects/nothing/paint") as socket:
        assert "no such project" in json.loads(socket.receive_text())["message"]
        with pytest.raises(WebSocketDisconnect) as closed:
            socket.receive_text()
        assert closed.value.code == 4404


class Page:
    """Reads the socket as the page does."""

    def __init__(self, socket):
        self.socket = socket
        self.pictures: dict[tuple[int, int], np.ndarray] = {}

    def until(self, kind, true=lambda message: True) -> dict:
        while True:
            message = self.socket.receive()
            if message.get("bytes"):
                self.show(message["bytes"])
            elif (said := json.loads(message["text"]))["type"] == kind and true(said):
                return said

    def show(self, data: bytes) -> None:
        head = wire.PIXELS_HEAD.unpack_from(data)
        assert head[:2] == (wire.PROTOCOL, 2)
        at = wire.PIXELS_HEAD.size
        for _ in range(head[2]):
            surface, picture, uniform, x, y, w, h = wire.RECTANGLE.unpack_from(data, at)
            at += wire.RECTANGLE.size
            length = 4 if uniform else w * h * 4
            pixels = np.frombuffer(data[at : at + length], np.uint8).reshape((1, 1, 4) if uniform else (h, w, 4))
            self.pictures.setdefault((surface, picture), np.zeros((256, 256, 4), np.uint8))[y : y + h, x : x + w] = (
                pixels
            )
            at += length
        assert at == len(data)
        self.socket.send_text(json.dumps({"type": "ack", "batch": head[3]}))


def test_painting_over_the_socket(client):
    """Welcome, a stroke of binary samples, pixels that show it, kept, undone; and reopened."""
    project = create(client).json()["id"]
    url = f"ws://127.0.0.1:8765/api/projects/{project}/paint"
    with client.websocket_connect(url) as socket:
        page = Page(socket)
        welcome = page.until("welcome")
        names = {v["id"]: v["name"] for v in welcome["values"] if v["kind"] == "surface"}
        layers = {names[v["parent"]]: v["id"] for v in welcome["values"] if v["kind"] == "brushed"}
        stroke = {"type": "begin", "stroke": 9, "tool": "brush", "tip": {"radius": 30, "hardness": 0.9},
                  "pigment": {"base_color": "#ff0000"}, "camera": CAMERA, "layers": layers}  # fmt: skip
        socket.send_text(json.dumps(stroke))
        points = np.array([[150, 150, 1, 0, 0], [250, 150, 1, 0, 0]], "<f4").tobytes()
        socket.send_bytes(wire.SAMPLES_HEAD.pack(wire.PROTOCOL, wire.SAMPLES, 2, 9, 12.5) + points)
        socket.send_text(json.dumps({"type": "end", "stroke": 9}))
        assert page.until("stroke_ended") == {"type": "stroke_ended", "stroke": 9, "revision": 1}
        assert page.until("kept", lambda kept: not kept["waiting"])["revision"] == 1
        # Who goes to the gallery now sees it there, though the project is still open.
        picture = np.asarray(Image.open(io.BytesIO(client.get(f"/api/projects/{project}/picture.png").content)), int)
        assert (picture[..., 0] - picture[..., 1] > 80).sum() > 100
        socket.send_text(json.dumps({"type": "undo"}))
        page.until("kept", lambda kept: kept["revision"] == 2)
        socket.send_text(json.dumps({"type": "redo"}))
        page.until("kept", lambda kept: kept["revision"] == 3)
    with client.websocket_connect(url) as socket:
        page = Page(socket)
        assert page.until("welcome")["history"]["undo"] == "Brush"
        while len(page.pictures) < 4:
            if data := socket.receive().get("bytes"):
                page.show(data)
        red = (page.pictures[0, 0][..., :3] == [255, 0, 0]).all(axis=2)
        assert red.sum() > 500
        assert (page.pictures[0, 0][..., 3] == 255).all()


@pytest.mark.parametrize(
    "message",
    [
        "{",
        '{"type": "begin"}',
        '{"type": "dance"}',
        '{"type": "undo", "twice": true}',
        "x" * (2 << 20),
        b"",
        b"\x03\x01",
        b"\x01\x01" + bytes(14),
        wire.SAMPLES_HEAD.pack(wire.PROTOCOL, 1, 5, 1, 0.0) + bytes(20),
        wire.SAMPLES_HEAD.pack(wire.PROTOCOL, 1, 1, 1, 0.0) + struct.pack("<5f", float("nan"), 1, 1, 0, 0),
    ],
)
def test_rubbish_on_the_socket_is_answered(client, message):
    """Whatever a page sends, the answer is a sentence and the socket stays open."""
    project = create(client).json()["id"]
    with client.websocket_connect(f"ws://127.0.0.1:8765/api/projects/{project}/paint") as socket:
        page = Page(socket)
        page.until("welcome")
        (socket.send_text if isinstance(message, str) else socket.send_bytes)(message)
        assert page.until("refused")["message"]
        socket.send_text('{"type": "undo"}')
        assert "nothing to undo" in page.until("refused", lambda said: "undo" in said["message"])["message"]


def test_the_wire_writes_what_it_describes():
    """A batch by hand: header, a uniform rectangle, a full one, a coarse one."""
    full = np.arange(64 * 64 * 4, dtype=np.uint8).reshape(64, 64, 4)
    rectangles = [Rectangle(300, 1, 64, 128, 128, 64, full[:1, :1]), Rectangle(0, 0, 0, 0, 64, 64, full),
                  Rectangle(1, 2, 0, 0, 128, 64, full[:16, :32])]  # fmt: skip
    data = wire.write_batch(Batch(7, rectangles, Timing(1.5, 0.001, 0.002, 0.003)))
    assert data[:28] == struct.pack("<BBHIdIII", 6, 2, 3, 7, 1.5, 1000, 2000, 3000)
    assert data[28:40] == struct.pack("<HBBHHHH", 300, 1, 1, 64, 128, 128, 64)
    assert data[44:56] == struct.pack("<HBBHHHH", 0, 0, 0, 0, 0, 64, 64)
    assert data[56 : 56 + full.size] == full.tobytes()
    assert data[56 + full.size : 68 + full.size] == struct.pack("<HBBHHHH", 1, 2, 3, 0, 0, 128, 64)
    assert data[68 + full.size :] == full[:16, :32].tobytes()
    with pytest.raises(NightmistError, match="version 7"):
        wire.read_samples(wire.SAMPLES_HEAD.pack(7, 1, 0, 1, 0.0))


def test_models_and_pictures_over_rest(client):
    """Replace the model, ask for plan and memory, add a missing picture; wrong requests say why."""
    base = f"/api/projects/{create(client).json()['id']}"
    answer = client.post(f"{base}/model", files=[("files", ("pier.glb", GLB))])
    assert (answer.status_code, answer.json()) == (422, {"message": "That changes nothing: it is so already."})
    assert client.post(f"{base}/model", files=[("files", ("pier.glb", GLB[:99]))]).status_code == 422
    plan = client.get(f"{base}/plan", params={"distance": 2, "fov_y": 90, "picture_height": 1024}).json()
    assert plan["needed"] == pytest.approx(256)
    left = plan["advice"][0]
    assert (left["surface"], left["density"] >= 256) == ("left", True)
    assert left["bytes"] == left["now_bytes"] * left["size"][0] ** 2 // left["now"][0] ** 2
    assert client.get(f"{base}/plan", params={"distance": 0, "fov_y": 90, "picture_height": 1}).status_code == 422
    answer = client.post(f"{base}/pictures", files=[("files", ("a.png", b"x"))])
    assert (answer.status_code, "Wanted: none" in answer.json()["message"]) == (422, True)
    assert client.get("/api/work/unknown").json() == {"label": "", "share": None}
    body = client.post("/api/projects/practice", params={"body": "box", "size": 256}).json()
    assert body["notes"] == []
    assert client.post("/api/projects/practice", params={"body": "teapot"}).status_code == 422
    asked = client.post("/api/projects/practice", params={"body": "box", "size": "large"})
    assert asked.status_code == 422
    assert "size = 'large' does not work" in asked.json()["message"]
    bare = client.post(f"/api/projects/{body['id']}/library")
    assert (bare.status_code, "files" in bare.json()["message"]) == (422, True)


def test_reference_pictures_keep_their_numbers(client):
    """A pinned picture comes back to the bit, twins get a number, and of several files those come that can be read."""
    base = f"/api/projects/{create(client).json()['id']}/references"
    image = np.random.default_rng(4).integers(0, 256, (30, 50, 3), dtype=np.uint8)

    def pin(*files: tuple[str, bytes]):
        return client.post(base, files=[("files", file) for file in files])

    assert pin(("quay.png", write_png(image))).json() == {"names": ["quay.png"], "notes": []}
    assert pin(("quay.png", write_png(image))).json()["names"] == ["quay 2.png"]
    found = Image.open(io.BytesIO(client.get(f"{base}/quay.png").content))
    assert (np.asarray(found) == image).all()
    refused = pin(("bad.png", b"not a picture"))
    assert refused.status_code == 422
    assert "bad.png" in refused.json()["message"]
    some = pin(("good.png", write_png(image)), ("bad.png", b"not a picture")).json()
    assert some["names"] == ["good.png"]
    assert "bad.png" in some["notes"][0]
    assert client.get(base).json() == ["quay.png", "quay 2.png", "good.png"]
    assert client.delete(f"{base}/quay.png").status_code == 204
    assert client.get(f"{base}/quay.png").status_code == 404
    assert client.get(base).json() == ["quay 2.png", "good.png"]


def test_a_tip_of_ones_own_is_in_the_library_for_all_projects(client):
    """Added in one project, at hand in another, taken there once; in color on the scratch sheet; forgotten, back."""
    one, other = (create(client).json()["id"] for _ in range(2))
    square = np.zeros((16, 16, 4), np.uint8)
    square[4:12, 4:12] = (20, 180, 60, 255)
    made = client.post(f"/api/projects/{one}/tips", files=[("files", ("leaf.png", write_png(square)))]).json()
    assert (made["name"], made["colored"], made["here"]) == ("leaf", True, True)

    def found(project):
        tips = client.get(f"/api/projects/{project}/tips").json()
        return [tip["here"] for tip in tips if tip["name"] == "leaf"]

    assert (found(one), found(other)) == ([True], [False])
    assert client.get("/api/tips/leaf.png").content == client.get(f"/api/projects/{one}/tips/leaf.png").content
    for _ in range(2):
        assert client.post(f"/api/projects/{other}/tips/leaf/take").json()["name"] == "leaf"
    assert found(other) == [True]
    tip = {"radius": 60, "strength": 1, "hardness": 1, "picture": "leaf", "pressure_strength": False}
    trial = {"tip": tip, "pigment": {"base_color": "#ff0000"}, "samples": [[80, 80, 1]], "width": 160, "height": 160}
    drawn = client.post("/api/scratch", json={**trial, "project": other})
    pixels = np.asarray(Image.open(io.BytesIO(drawn.content))).astype(int)
    assert np.abs(pixels[80, 80] - (20, 180, 60)).max() <= 2
    assert pixels[80, 5].min() > 150
    kept = client.delete("/api/tips/leaf").json()
    assert client.get("/api/tips/leaf.png").status_code == 422
    assert found(other) == [True], "a project that has it keeps it"
    third = create(client).json()["id"]
    assert found(third) == []
    assert client.post("/api/tips", json=kept).status_code == 204
    assert found(third) == [False]
    spoiled = client.post("/api/tips", json={**kept, "picture": "bm8gcGljdHVyZQ=="})
    assert spoiled.status_code == 422
    assert "cannot be read" in spoiled.text
