"""Decals against the exact place of each texel in their frames; on thin plates, over borders, live, baked and moved."""

from __future__ import annotations

import math

import numpy as np
import pytest

import nightmist as nm
from nightmist import Camera, Document, NightmistError, Pigment
from nightmist.core.mapping.decals import LONGEST_RELIEF, Placed, relief_of
from nightmist.core.mapping.pyramid import pyramid_of
from nightmist.document.stacking.decals import why_unseen
from nightmist.document.values import Hit

from ..shapes import joined, placed, places_at, plane, plate, sphere, walls
from .test_stencils import fading, wave, write

SIDE = 256


def reds(image):
    """Where the square picture lies on a gray ground."""
    return image[..., 0].astype(int) - image[..., 1] > 20000


def opened(mesh, size=SIDE, name="surface"):
    doc = Document.from_mesh(mesh, "body", (size, size))
    return doc, doc.surfaces[name], doc.surfaces[name].layers.add("decals", name="Marks")


def front(doc, x=0.0, y=0.0, distance=4.0):
    """What lies at a place of the front, seen along -z."""
    camera = Camera.look_at((x, y, distance), (x, y, 0), 20, (100, 100))
    hit = doc.pick(camera, (50, 50))
    assert hit is not None
    return hit


def in_frame(surface, frame):
    """For owned texels: y, x, q in the frame, and the cosine of the angle between face and front."""
    own = surface.layout.ownership
    owner = own.owner()
    y, x = np.nonzero(owner >= 0)
    p = places_at(own, y, x)
    z = np.array(frame.normal)
    right = np.cross((0, 1, 0), z)
    right /= np.linalg.norm(right)
    up = np.cross(z, right)
    turn = math.radians(frame.roll)
    axes = np.array([math.cos(turn) * right - math.sin(turn) * up, math.sin(turn) * right + math.cos(turn) * up, z])
    q = (p - frame.position) @ axes.T / (frame.width, frame.height, frame.depth)
    return y, x, q, own.normals[owner[y, x]] @ z


@pytest.mark.parametrize("mesh", [plane(3), sphere(64, 32)], ids=["plane", "sphere"])
@pytest.mark.parametrize("unit", [1, 100])
def test_each_texel_shows_the_place_of_the_picture_that_its_frame_puts_there(mesh, unit, waved):
    rng = np.random.default_rng(5)
    doc, surface, layer = opened(placed(mesh, scale=(unit,) * 3), 512)
    for _ in range(3):
        x, y = rng.uniform(-0.4, 0.4, 2) * unit
        hit, roll = front(doc, x, y, 4 * unit), float(rng.uniform(-180, 180))
        decal = layer.place(waved, hit, width=0.8 * unit, roll=roll, shape="planar")
        frame = decal.frame
        assert frame.height == pytest.approx(frame.width / 2)
        y, x, q, cosine = in_frame(surface, frame)
        layer.bake()
        found = layer.read("base_color")[y, x] / 65535
        inside = (abs(q[:, :2]).max(axis=1) < 0.48) & (abs(q[:, 2]) < 0.44) & (cosine > math.cos(math.radians(65)))
        outside = (abs(q[:, :2]).max(axis=1) > 0.56) | (abs(q[:, 2]) > 0.501) | (cosine < math.cos(math.radians(89)))
        assert inside.sum() > 700
        assert (found[inside, 3] > 0.998).all()
        assert not found[outside].any()
        expected = wave(q[inside, 0] + 0.5, 0.5 - q[inside, 1])
        assert abs(found[inside, :3] - expected).max() < 2 / 255
        doc.undo(), doc.undo()


def test_on_a_round_body_the_limit_runs_in_a_line_not_along_its_faces(square):
    """A flat frame larger than a ball of few faces: paint fades as the angle to the ball itself tells."""
    doc, surface, layer = opened(sphere(24, 12), 512)
    decal = layer.place(square, front(doc, 0.01, 0.01), width=3, depth=4, shape="planar", limit=60)
    y, x, _, _ = in_frame(surface, decal.frame)
    own = surface.layout.ownership
    p = places_at(own, y, x)
    cosine = (p / np.linalg.norm(p, axis=1, keepdims=True)) @ np.array(decal.frame.normal)
    layer.bake()
    wanted = fading(cosine, 60)
    missed = layer.read("base_color")[y, x, 3] / 65535 - wanted
    # It would miss by 0.3 if of a face's angle and its normals' the greater one counted.
    assert np.sqrt((missed[(wanted > 0) & (wanted < 1)] ** 2).mean()) < 0.1
    assert not missed[cosine < math.cos(math.radians(62))].any()


def test_its_place_its_size_and_its_angle_are_what_its_numbers_say(square):
    doc, surface, layer = opened(plane(2), 512)
    layer.place(square, front(doc, 0.2, -0.1), width=0.6, roll=30).change(repeat=(1, 1))
    decal = layer.decals[0]
    decal.change(frame=decal.value.frame.but(height=0.3))
    y, x, _, _ = in_frame(surface, decal.frame)
    layer.bake()
    share = layer.read("base_color")[y, x, 3] / 65535
    at = np.column_stack([x, y]) + 0.5
    per_unit = 512 * 0.9 / 2
    middle = (share[:, None] * at).sum(axis=0) / share.sum()
    assert middle == pytest.approx([(0.5 + 0.9 * 0.1) * 512, (0.5 + 0.9 * 0.05) * 512], abs=0.01 * 0.6 * per_unit)
    assert share.sum() == pytest.approx(0.6 * 0.3 * per_unit**2, rel=0.01)
    spread = (share[:, None, None] * (at - middle)[:, :, None] * (at - middle)[:, None, :]).sum(axis=0) / share.sum()
    sizes, axes = np.linalg.eigh(spread)
    assert np.sqrt(12 * sizes) == pytest.approx([0.3 * per_unit, 0.6 * per_unit], rel=0.01)
    long = axes[:, 1] * np.sign(axes[0, 1])
    assert math.degrees(math.atan2(long[1], long[0])) == pytest.approx(30, abs=0.3)


@pytest.mark.parametrize("thickness", [0.0004, 0.02, 0.4])
def test_the_back_and_the_sides_of_a_plate_stay_clean(thickness, square):
    doc, surface, layer = opened(plate(thickness))
    hit = front(doc, 0.1, 0.1)
    decal = layer.place(square, hit, width=0.7)
    if thickness < 0.3:
        assert decal.frame.depth <= 2 * thickness
    layer.place(square, front(doc, 0.9, 0.0), width=0.7)
    decal.change(frame=decal.value.frame.but(depth=3.0, measured=False))
    y, x, _, cosine = in_frame(surface, decal.frame)
    layer.bake()
    share = layer.read("base_color")[y, x, 3]
    assert not share[cosine < math.cos(math.radians(80))].any()
    assert (share[cosine > 0.99] == 65535).mean() > 0.1


def test_it_lies_upright_on_walls_and_along_the_mean_of_the_normals_around(waved):
    doc, _, layer = opened(sphere(24, 12))
    camera = Camera.look_at((4, 0.8, 0.5), (0, 0, 0), 20, (100, 100))
    frame = layer.place(waved, doc.pick(camera, (50, 50)), width=0.5).frame
    out = np.array(frame.position) / np.linalg.norm(frame.position)
    # A facet may be off by half the angle between two of them; what is smoothed is off by much less.
    assert np.degrees(np.arccos(np.array(frame.normal) @ out)) < 3.5
    assert frame.roll == 0
    assert frame.depth > 2 * (1 - math.sqrt(1 - 0.3**2))


def test_repeated_mirrored_inverted_and_faded_at_its_sides(tmp_path):
    ramp = np.tile(np.linspace(0, 1, 64)[None, :, None], (64, 1, 4))
    ramp[..., :3] = ramp[..., :1]
    path = write(tmp_path / "ramp.png", ramp)
    doc, surface, layer = opened(plane(2), 512)
    decal = layer.place(path, front(doc), width=1.0)

    def share(**fields):
        decal.change(**{"mirrored": False, "inverted": False, "repeat": (1, 1), "soft": 0.0, **fields})
        y, x, q, _ = in_frame(surface, decal.frame)
        copy = layer.surface.layers.duplicate(layer)
        copy.bake()
        row = abs(q[:, 1]) < 0.01
        order = np.argsort(q[row, 0])
        found = copy.read("base_color")[y[row], x[row], 3][order] / 65535
        doc.undo(), doc.undo()
        return q[row, 0][order], found

    q, plain = share()
    inside = abs(q) < 0.48
    assert plain[inside] == pytest.approx(q[inside] + 0.5, abs=0.02)
    assert share(mirrored=True)[1][inside] == pytest.approx(0.5 - q[inside], abs=0.02)
    assert share(inverted=True)[1][inside] == pytest.approx(0.5 - q[inside], abs=0.02)
    twice = share(repeat=(2, 1))[1]
    calm = inside & (abs(q) > 0.02)
    assert twice[calm] == pytest.approx((2 * (q[calm] + 0.5)) % 1, abs=0.03)
    t = np.clip((0.5 - abs(q)) / 0.25, 0, 1)
    soft = share(soft=0.5)[1]
    assert soft[inside] == pytest.approx(((q + 0.5) * t * t * (3 - 2 * t))[inside], abs=0.02)


def test_its_own_values_lie_over_any_stack_and_what_it_leaves_alone_stays(square):
    doc, surface, layer = opened(plane(2))
    surface.layers.add("wash", index=0, pigment=Pigment(base_color="#305070", roughness=0.9, metallic=1.0))
    before = {name: surface.read(name) for name in ("base_color", "roughness", "metallic", "height")}
    decal = layer.place(square, front(doc), width=0.5, pigment=Pigment(roughness=0.25, base_color="#00ff00"))
    y, x, q, _ = in_frame(surface, decal.frame)
    inside, outside = abs(q[:, :2]).max(axis=1) < 0.45, abs(q[:, :2]).max(axis=1) > 0.55
    color, rough = surface.read("base_color")[y, x], surface.read("roughness")[y, x]
    assert (color[inside, :3] == (0, 65535, 0)).all()
    assert (rough[inside] == round(0.25 * 65535)).all()
    assert (surface.read("metallic") == before["metallic"]).all()
    assert (rough[outside] == before["roughness"][y, x][outside]).all()
    decal.change(opacity=0.5)
    assert surface.read("roughness")[y, x][inside] == pytest.approx((0.25 + 0.9) / 2 * 65535, abs=2)
    decal.change(colored=False)
    assert (surface.read("base_color") == before["base_color"]).all()


def test_relief_rises_by_model_units_softly_and_stands_on_what_lies_below(square):
    doc, surface, layer = opened(plane(2), 512)
    surface.depth = 0.1
    surface.layers.add("wash", index=0, pigment=Pigment(height=0.6))
    decal = layer.place(square, front(doc), width=0.6)
    decal.relief = nm.DecalRelief(height=0.02, bevel=0.04)
    y, x, q, _ = in_frame(surface, decal.frame)
    edge = [0.5 * (1 + math.erf(d / 0.04 / math.sqrt(2))) for d in (0.5 - abs(q[:, 0])) * 0.6]
    row = (abs(q[:, 1]) < 0.1) & (abs(q[:, 0]) < 0.65)
    found = surface.read("height")[y, x][row] / 65535
    assert found == pytest.approx(0.6 + 0.2 * np.array(edge)[row], abs=0.2 * 3 / 255)
    assert (surface.read("height")[y, x][abs(q).max(axis=1) > 0.8] == round(0.6 * 65535)).all()
    sunk = layer.place(square, front(doc), width=0.2)
    sunk.relief = nm.DecalRelief(height=-0.01)
    inner = abs(q[:, :2]).max(axis=1) < 0.1
    assert surface.read("height")[y, x][inner] == pytest.approx((0.6 + 0.2 - 0.1) * 65535, abs=300)
    normal = surface.read("normal")[y, x] / 32767.5 - 1
    assert abs(normal[row & (abs(abs(q[:, 0]) - 0.5) < 0.02), 0]).min() > 0.1
    surface.depth = 0.2
    assert surface.read("height")[y, x][inner] == pytest.approx((0.6 + 0.1 - 0.05) * 65535, abs=300)
    surface.depth = 0
    assert (surface.read("height")[y, x] == round(0.6 * 65535)).all()


def random_decals(doc, layer, rng, paths, count):
    made = []
    for _ in range(count):
        x, y = rng.uniform(-0.5, 0.5, 2)
        hit = front(doc, x, y)
        fields = {"pigment": Pigment(roughness=float(rng.uniform()))} if rng.uniform() < 0.5 else {}
        if rng.uniform() < 0.4:
            fields["relief"] = nm.DecalRelief(height=float(rng.uniform(-0.02, 0.02)), bevel=0.01)
        width, roll = float(rng.uniform(0.05, 0.3)), float(rng.uniform(0, 360))
        made.append(layer.place(paths[int(rng.integers(len(paths)))], hit, width=width, roll=roll, **fields))
    return made


def test_put_into_a_group_and_taken_out_by_undo_they_lie_as_before(square):
    _doc, surface, layer = opened(plane(3))
    layer.place(square, at=front(_doc), width=0.8)
    lain = surface.read("base_color")
    group = surface.layers.group([layer])
    group.opacity = 0.5
    grouped = surface.read("base_color")
    assert (grouped != lain).any()
    _doc.undo()
    _doc.undo()
    assert (surface.read("base_color") == lain).all()
    _doc.redo()
    _doc.redo()
    assert (surface.read("base_color") == grouped).all()


def test_whatever_is_done_to_decals_the_maps_are_as_if_all_had_been_laid_anew(waved, square, tmp_path):
    rng = np.random.default_rng(11)
    doc, surface, layer = opened(sphere(24, 12), 512)
    every = ("base_color", "roughness", "height", "normal")

    def anew():
        doc.save(tmp_path / "again.nightmist")
        other = Document.load(tmp_path / "again.nightmist").surfaces["surface"]
        return all((surface.read(name) == other.read(name)).all() for name in every)

    made = random_decals(doc, layer, rng, [waved, square], 12)
    states = [[surface.read(name) for name in every]]
    assert anew()
    for step in range(8):
        decal = made[int(rng.integers(len(made)))]
        x, y = rng.uniform(-0.5, 0.5, 2)
        if step % 4 == 0:
            decal.move(to=front(doc, x, y))
        elif step % 4 == 1:
            decal.frame.roll = float(rng.uniform(0, 360))
        elif step % 4 == 2:
            made.append(decal.duplicate(at=front(doc, x, y)))
        else:
            decal.change(visible=False)
        states.append([surface.read(name) for name in every])
    assert anew()
    for before in reversed(states[:-1]):
        doc.undo()
        assert all((surface.read(name) == one).all() for name, one in zip(every, before, strict=True))
    while doc.history.cursor < len(doc.history.changes):
        doc.redo()
    live = [surface.read(name) for name in every]
    layer.bake()
    assert layer.kind == "brushed"
    assert all((surface.read(name) == one).all() for name, one in zip(every, live, strict=True))
    doc.undo()
    assert len(layer.decals) == len(made)


def test_it_lies_over_the_border_of_surfaces_as_one_and_moves_to_the_other(square):
    left, right = (
        placed(plane(2), scale=(0.5, 1, 1), move=(-0.5, 0, 0)),
        placed(plane(2), scale=(0.5, 1, 1), move=(0.5, 0, 0)),
    )
    doc, surface, layer = opened(joined(left, right, names=["left", "right"]), name="left")
    other = doc.surfaces["right"]
    decal = layer.place(square, front(doc, -0.1, 0.0), width=0.6)
    assert [node.name for node in other.layers] == ["Marks"]

    def area(surface):
        own = surface.layout.ownership
        owner = own.owner() >= 0
        return reds(surface.read("base_color"))[owner].sum() / owner.sum() * 2

    def sides():
        return area(surface), area(other)

    assert sides() == pytest.approx((0.4 * 0.6, 0.2 * 0.6), rel=0.03)
    decal.frame.width = 0.8
    assert sides() == pytest.approx((0.5 * 0.6, 0.3 * 0.6), rel=0.03)
    decal.move(to=front(doc, 0.6, 0.0))
    assert sides() == pytest.approx((0, 0.4 * 0.6 * 2), abs=0.02)
    assert not layer.decals
    doc.undo()
    assert sides() == pytest.approx((0.5 * 0.6, 0.3 * 0.6), rel=0.03)
    doc.undo(), doc.undo()
    assert len(other.layers) == 0
    assert sides() == (0, 0)


def test_bound_to_a_region_it_stays_inside_and_follows_the_region(square):
    doc, surface, layer = opened(plane(4))
    half = [face for face in range(len(doc.mesh.faces)) if doc.mesh.corners[face, :, 0].max() <= 1e-6]
    region = doc.regions.add("Left", faces=half)
    decal = layer.place(square, front(doc), width=0.8, region=region)
    y, x, q, _ = in_frame(surface, decal.frame)
    inside = abs(q[:, :2]).max(axis=1) < 0.48
    red = reds(surface.read("base_color"))[y, x]
    assert red[inside & (q[:, 0] < -0.02)].all()
    assert not red[q[:, 0] > 0.02].any()
    region.invert()
    red = reds(surface.read("base_color"))[y, x]
    assert red[inside & (q[:, 0] > 0.02)].all()
    assert not red[q[:, 0] < -0.02].any()
    with pytest.raises(NightmistError, match="Marks on surface are bound to Left"):
        doc.regions.remove(region)
    decal.change(region=None)
    doc.regions.remove(region)


def test_it_is_kept_inside_what_lies_below_its_middle_in_one_step(square):
    doc = Document.from_mesh(walls(4), "pier", (SIDE, SIDE))
    left, right = doc.surfaces["left"], doc.surfaces["right"]
    layer = left.layers.add("decals", name="Marks")
    low, high = doc.mesh.bounds
    middle = (low + high) / 2
    hit = front(doc, float(middle[0]) - 0.05, float(middle[1]), 6)
    decal = layer.place(square, hit, width=0.6)
    assert reds(left.read("base_color")).any()
    assert reds(right.read("base_color")).any()
    steps = doc.history.cursor
    decal.bind("surface")
    assert doc.history.cursor == steps + 1
    assert reds(left.read("base_color")).any()
    assert not reds(right.read("base_color")).any()
    assert decal.value.region == doc.region_values()[0].id
    assert why_unseen(doc, decal.id) is None
    copy = decal.duplicate(at=front(doc, float(middle[0]) + 0.7, float(middle[1]), 6))
    assert why_unseen(doc, copy.id) == "square.png shows nothing there: it is kept inside Surface below square.png."
    copy.change(visible=False)
    assert why_unseen(doc, copy.id) is None
    doc.undo(), doc.undo(), doc.undo()
    assert reds(right.read("base_color")).any()
    assert not list(doc.region_values())
    flat = layer.place(square, (0.5, 0.5), width=0.3)
    with pytest.raises(NightmistError, match="lies in the map"):
        flat.bind("island")


def test_in_the_map_it_lies_flat_whatever_the_islands_are(waved):
    doc, _surface, layer = opened(sphere(8, 4), 256)
    decal = layer.place(waved, (0.4, 0.6), width=0.5, roll=90)
    layer.bake()
    found = layer.read("base_color")
    y, x = np.mgrid[:256, :256] + 0.5
    # A quarter turn with the clock: what was up is to the right.
    u, v = (y - 0.6 * 256) / 128 + 0.5, 0.5 - (x - 0.4 * 256) / 64
    inside = (abs(u - 0.5) < 0.48) & (abs(v - 0.5) < 0.48)
    assert abs(found[inside][:, :3] / 65535 - wave(u, v)[inside]).max() < 2 / 255
    assert not found[(abs(u - 0.5) > 0.51) | (abs(v - 0.5) > 0.52)].any()
    doc.undo()
    assert decal.frame.center == (0.4, 0.6)


def test_what_cannot_be_is_refused_with_a_sentence_and_nothing_changes(square, tmp_path):
    doc, surface, layer = opened(plane(2))
    decal = layer.place(square, front(doc), width=0.5)
    before, steps = surface.read("base_color"), doc.history.cursor
    refused = [
        (lambda: decal.change(frame=decal.value.frame.but(width=-1)), "width"),
        (lambda: decal.change(pigment=Pigment(height=0.7)), "relief"),
        (lambda: decal.change(region="gone"), "region does not exist"),
        (lambda: layer.place(tmp_path / "missing.png", front(doc)), "missing.png"),
        (lambda: layer.place(square, Hit("surface", 0, (0, 0, 0), (0, 0, 0), (0, 0))), "points somewhere"),
        (lambda: surface.layers.add("brushed").place(square, front(doc)), "holds no decals"),
        (lambda: doc.remove_picture(decal.value.picture), "used by Marks"),
        (lambda: decal.move(to=(0.5, 0.5)), "on the model"),
    ]
    for act, said in refused:
        with pytest.raises(NightmistError, match=said):
            act()
    doc.undo()  # the brushed layer that was added for a refusal
    layer.locked = True
    with pytest.raises(NightmistError, match="locked"):
        decal.frame.roll = 10
    assert (surface.read("base_color") == before).all()
    assert doc.history.cursor == steps + 1
    layer.locked = False
    decal.remove()
    with pytest.raises(NightmistError, match="does not exist"):
        decal.frame.roll = 10


def test_copies_of_a_layer_hold_decals_of_their_own(square):
    doc, surface, layer = opened(plane(2))
    layer.place(square, front(doc), width=0.5)
    copy = surface.layers.duplicate(layer)
    assert copy.decals[0].id != layer.decals[0].id
    copy.decals[0].move(to=front(doc, 0.5, 0.5))
    assert layer.decals[0].frame.position[0] == pytest.approx(0)
    finish = doc.keep_finish(surface.layers.group([copy], "Kept"), "Kept")
    laid = surface.layers.add_finish(finish)
    assert laid.layers[0].decals[0].frame.position[0] == pytest.approx(0.5)


def test_what_lies_around_a_painted_layer_follows_regions_and_pictures_of_decals(square):
    doc, surface, layer = opened(plane(4))
    half = [face for face in range(len(doc.mesh.faces)) if doc.mesh.corners[face, :, 0].max() <= 1e-6]
    region = doc.regions.add("Left", faces=half)
    decal = layer.place(square, front(doc), width=0.8, region=region)
    over = surface.layers.add("brushed")
    camera = Camera.look_at((0, 0, 4), (0, 0, 0), 40, (400, 400))
    tip = nm.Tip(radius=20, strength=0.5)

    def drawn():
        """What is seen while a stroke is drawn, before it is evaluated plainly."""
        stroke = doc.begin_stroke({"surface": over}, camera, tip, Pigment(base_color="#0000ff"))
        stroke.extend([(195, 200, 1.0, 0.0, 0.0), (205, 200, 1.0, 0.0, 0.0)])
        doc.refresh()
        seen = surface.read("base_color")
        stroke.cancel()
        return seen

    y, x, q, _ = in_frame(surface, decal.frame)
    doc.stroke(over, [(195, 200), (205, 200)], camera, tip, Pigment(base_color="#0000ff"))
    drawn()
    region.invert()
    red = reds(drawn())[y, x]
    assert not red[(q[:, 0] < -0.02) & (abs(q[:, :2]).max(axis=1) < 0.45)].any()
    doc.cut_picture(decal.value.picture, inverted=True)
    assert not reds(drawn()).any()


@pytest.mark.parametrize(("size", "bevel"), [((1, 1), 3.0), ((1, 1), 0.02), ((1e-3, 2), 0.7), ((0.5, 40), 1.0)])
def test_however_soft_its_edge_is_relief_holds_as_much_and_stays_small(size, bevel):
    """A Gaussian keeps the volume; a bevel that is typed far too large must not fill the memory."""
    picture = np.full((32, 32, 4), 65535, np.uint16)
    made = relief_of(picture, Placed(np.zeros((3, 4)), np.zeros(3), pyramid_of(picture, gray=False)), size, bevel, 1.0)
    width, height = made.picture.sizes[0]
    assert max(width, height) < 1.2 * LONGEST_RELIEF
    # Of its one value, by pixels, and how large these are.
    values = made.picture.data[: width * height].astype(float) / 65535
    pixel = made.margins[0] * size[0] / width * made.margins[1] * size[1] / height
    assert values.sum() * pixel == pytest.approx(size[0] * size[1], rel=0.05)


def test_a_bevel_beyond_all_measure_is_laid_at_once(square):
    doc, surface, layer = opened(plane(2))
    decal = layer.place(square, front(doc), width=0.5)
    decal.relief = nm.DecalRelief(height=0.01, bevel=1e6)
    assert abs(surface.read("height").astype(int) - 32768).max() <= 2
    decal.frame.width = 1e-6
    decal.relief = nm.DecalRelief(height=0.01, bevel=0.3)
    assert abs(surface.read("height").astype(int) - 32768).max() <= 2
