"""Paints the lantern buoy as the harbor knows it: bands, chips, rust weeps, weed and barnacles by strokes.

Steel below the cage's paint comes by a finish, what the sun has bleached by an adjustment; grouped, and cut by masks.

    ./nightmist python examples/weathered_buoy.py [buoy.glb]

Without a model of its own it takes the demo's. This is also how the demo project is made.
"""

from __future__ import annotations

import sys

import numpy as np

import nightmist as nm
from nightmist.demo.finishes import shipped_finish
from nightmist.demo.stencils import STENCILS, shipped_stencil

#: Coats around the hull: color, roughness, height of the stroke, tip radius.
BANDS = (
    ("#b8402c", 0.42, 0.32, 0.15),
    ("#b8402c", 0.42, 0.14, 0.17),
    ("#e5e1d5", 0.45, -0.04, 0.06),
    ("#55634a", 0.62, -0.27, 0.165),
    ("#55634a", 0.62, -0.44, 0.165),
    ("#55634a", 0.62, -0.62, 0.165),
)
FAR = 6.0
VIEWS = 12
#: Model units of a screen pixel on the hull, about.
PIXEL = 2 * (FAR - 0.8) * np.tan(np.radians(15)) / 800


def view(turn: float, height: float) -> nm.Camera:
    """Level with a place of the hull, looking straight at it: it lies in the middle of the screen."""
    eye = (FAR * np.sin(turn), height, FAR * np.cos(turn))
    return nm.Camera.look_at(eye, (0, height, 0), 30, (1200, 800))


def paint(doc: nm.Document) -> None:
    """All of it, on a model with the surfaces hull, cage and lantern."""
    seed = np.random.default_rng(214)
    hull = doc.surfaces["hull"]
    hull.depth = 0.03
    coats = {name: surface.layers.add("brushed", name="Band paint") for name, surface in doc.surfaces.items()}
    doc.fill(coats["hull"], nm.Pigment(base_color="#c9c7bd", roughness=0.5), "hull")
    doc.fill(coats["cage"], nm.Pigment(base_color="#e5e1d5", roughness=0.45), "cage")
    doc.fill(coats["lantern"], nm.Pigment(base_color="#1d3a3c", roughness=0.28), "lantern")
    for color, roughness, height, radius in BANDS:
        band(doc, coats["hull"], color, roughness, height, radius)
    # One layer of a name on each surface: strokes that run over an edge go on there.
    layers = {}
    for name in ("Chips", "Rust weeps", "Weed", "Barnacles", "New paint"):
        for surface in reversed(doc.surfaces.values()):
            layers[name] = surface.layers.add("brushed", name=name)
    chips(doc, layers["Chips"], seed)
    weeps(doc, layers["Rust weeps"], seed)
    weed(doc, layers["Weed"], seed)
    barnacles(doc, layers["Barnacles"], seed)
    for surface in doc.surfaces.values():
        arrange(surface)
    worn_cage(doc, seed)
    bleached(doc.surfaces["hull"])
    marks(doc)


def arrange(surface) -> None:
    """What the sea has done in one group, what wear has done in another, the layer for new paint on top of both."""
    named = {layer.name: layer for layer in surface.layers}
    surface.layers.group([named["Chips"], named["Rust weeps"]], "Wear")
    surface.layers.group([named["Weed"], named["Barnacles"]], "Growth")


def worn_cage(doc, seed) -> None:
    """The cage is galvanized: where its paint is hidden by the mask, that shows."""
    cage = doc.surfaces["cage"]
    steel = cage.layers.add_finish(shipped_finish("Galvanized steel"))
    cage.layers.move(steel, index=0)
    mask = next(layer for layer in cage.layers if layer.name == "Band paint").add_mask(value=1.0)
    for turn in seed.uniform(0, 2 * np.pi, 40):
        height = float(seed.uniform(0.5, 1.5))
        start = 600 + float(seed.normal(0, 50)), 400 + float(seed.normal(0, 10))
        tip = nm.Tip(radius=float(seed.uniform(5, 12)), strength=1, hardness=0.7, picture="sponge", angle_mode="random",
                     spacing=0.25, jitter_place=0.4, jitter_radius=0.5)  # fmt: skip
        end = start[0] + float(seed.normal(0, 14)), start[1] + float(seed.normal(0, 22))
        doc.stroke(mask, [start, end], view(float(turn), height), tip, value=0.0, seed=int(seed.integers(1 << 30)))


def bleached(surface) -> None:
    """What looks up at the sun is lighter and duller."""
    tone = surface.layers.add("adjustment", name="Bleached by the sun", effect="tone", saturation=-0.22, lightness=0.05)
    surface.layers.move(tone, index=1)
    tone.add_mask().facing((0, 1, 0), limit=25, fade=65)


def marks(doc) -> None:
    """What the harbor has put on: berth numbers on raised plates, a tide scale, a warning; rust runs below them."""
    pictures = {name: doc.add_picture_data(f"{name}.png", shipped_stencil(name)) for name in STENCILS}
    hull, lantern = doc.surfaces["hull"], doc.surfaces["lantern"]
    # Below the layer that is kept for new paint.
    runs = hull.layers.add("decals", name="Rust below the marks", index=len(hull.layers) - 1)
    plates = hull.layers.add("decals", name="Marks", index=len(hull.layers) - 1)
    enamel = nm.Pigment(roughness=0.3, metallic=0.0)
    for turn in (0.35, 0.35 + np.pi):
        spot = doc.pick(view(turn, 0.02), (600, 400))
        plates.place(pictures["Berth mark"], spot, width=0.44, pigment=enamel,
                     relief=nm.DecalRelief(height=0.004, bevel=0.003))  # fmt: skip
        for side, width in ((-0.17, 0.2), (0.16, 0.24)):
            below = doc.pick(view(turn + side, -0.12), (600, 400))
            runs.place(pictures["Rust run"], below, width=width, pigment=nm.Pigment(roughness=0.85))
    scale = doc.pick(view(-0.75, -0.16), (600, 400))
    plates.place(pictures["Tide scale"], scale, width=0.07, pigment=enamel)
    label = lantern.layers.add("decals", name="Marks")
    label.place(pictures["Warning label"], doc.pick(view(0.2, 1.84), (600, 400)), width=0.14, pigment=enamel)


def band(doc, layer, color, roughness, height, radius) -> None:
    """A ring of paint, laid on from all sides with a firm edge."""
    tip = nm.Tip(radius=radius, unit="world", strength=1, hardness=0.96, spacing=0.06)
    reach = 800 / (2 * np.tan(np.radians(15)) * FAR) * 0.9 * np.sin(np.pi / VIEWS) * 1.25
    for k in range(VIEWS):
        path = [(600 - reach, 400), (600 + reach, 400)]
        pigment = nm.Pigment(base_color=color, roughness=roughness)
        doc.stroke(layer, path, view(2 * np.pi * k / VIEWS, height), tip, pigment)


def chips(doc, layer, seed) -> None:
    """Where ropes and boats have rubbed, the paint is off: bare steel, a little deeper, with rust at its rim."""
    steel = nm.Pigment(base_color="#777a78", roughness=0.38, metallic=0.9, height=0.44)
    rim = nm.Pigment(base_color="#6a3a20", roughness=0.8, metallic=0.1, height=0.49)
    for turn in seed.uniform(0, 2 * np.pi, 26):
        # Chips gather along the belt, where things knock.
        height = 0.14 + seed.normal(0, 0.05)
        size = float(seed.uniform(7, 17))
        start = 600 + float(seed.normal(0, 8)), 400 + float(seed.normal(0, 6))
        end = start[0] + float(seed.normal(0, 20)), start[1] + float(seed.normal(0, 7))
        number = int(seed.integers(1 << 30))
        for pigment, radius in ((rim, size * 1.25), (steel, size)):
            tip = nm.Tip(radius=radius, strength=1, hardness=0.8, picture="sponge", angle_mode="random", spacing=0.22,
                         jitter_radius=0.5, jitter_place=0.35)  # fmt: skip
            doc.stroke(layer, [start, end], view(turn, height), tip, pigment, seed=number)


def weeps(doc, layer, seed) -> None:
    """Runs of rust below the lifting eyes, the cage's feet and the chips, thinning out downwards."""
    feet = [k * np.pi / 3 + np.pi / 6 for k in range(6)]
    places = [(turn + seed.normal(0, 0.07), 0.33, 1.3) for turn in (0.0, np.pi) for _ in range(16)]
    places += [(turn + seed.normal(0, 0.05), 0.49, 0.7) for turn in feet for _ in range(5)]
    places += [(float(seed.uniform(0, 2 * np.pi)), float(seed.normal(0.13, 0.05)), 1.0) for _ in range(60)]
    for turn, height, reach in places:
        length = float(seed.uniform(30, 150)) * reach
        steps = np.linspace(0, 1, 14)
        drift = np.cumsum(seed.normal(0, 0.8, 14))
        path = [(600 + d, 400 + length * t, 1 - 0.7 * t) for t, d in zip(steps, drift, strict=True)]
        color = ["#7d3d1f", "#6a3519", "#8f4c22", "#5a2e1a"][int(seed.integers(4))]
        pigment = nm.Pigment(base_color=color, roughness=float(seed.uniform(0.6, 0.9)), height=0.515)
        radius, strength = float(seed.uniform(4, 13)), float(seed.uniform(0.45, 0.85))
        tip = nm.Tip(radius=radius, strength=strength, hardness=0.1, spacing=0.06, pressure_radius=True,
                     picture="charcoal", angle_mode="along", jitter_radius=0.3)  # fmt: skip
        doc.stroke(layer, path, view(turn, height), tip, pigment, seed=int(seed.integers(1 << 30)))
    soft = nm.Tip(radius=46, strength=0.35, hardness=0.2)
    for turn in np.linspace(0, 2 * np.pi, 16, endpoint=False):
        doc.stroke(layer, [(540, 400), (660, 400)], view(float(turn), 0.02), soft, tool="soften")


def weed(doc, layer, seed) -> None:
    """Growth along the waterline: a slimy rim, and blades that hang and stand in it, each a stroke."""
    rim = nm.Tip(radius=30, strength=0.9, hardness=0.2, picture="sponge", angle_mode="random", jitter_place=0.5,
                 jitter_radius=0.5, jitter_color=0.5, spacing=0.16)  # fmt: skip
    for turn in np.linspace(0, 2 * np.pi, 28, endpoint=False):
        slime = nm.Pigment(base_color="#3d4727", roughness=0.55, height=0.53)
        doc.stroke(
            layer, [(520, 404), (680, 400)], view(float(turn), -0.16), rim, slime, seed=int(seed.integers(1 << 30))
        )
    for turn in seed.uniform(0, 2 * np.pi, 420):
        height = -0.15 + float(seed.normal(0, 0.035))
        length = float(seed.gamma(3.0, 7.0)) + 8
        bend, down = float(seed.normal(0, 6)), 1 if seed.random() < 0.7 else -0.7
        path = [(600, 400), (600 + bend * 0.4, 400 + down * length * 0.5), (600 + bend, 400 + down * length)]
        color = ["#3c4a28", "#4c5a33", "#59632f", "#2f3a24", "#6b6a34"][int(seed.integers(5))]
        pigment = nm.Pigment(base_color=color, roughness=0.7, height=float(seed.uniform(0.53, 0.62)))
        tip = nm.Tip(radius=float(seed.uniform(3, 8)), strength=0.85, hardness=0.3, spacing=0.1, taper=length * 0.5,
                     picture="bristle", angle_mode="along", angle=90, jitter_color=0.4)  # fmt: skip
        doc.stroke(layer, path, view(float(turn), height), tip, pigment, seed=int(seed.integers(1 << 30)))


def barnacles(doc, layer, seed) -> None:
    """Clusters of small cones below the waterline: raised domes with a narrow mouth dug into each."""
    for cluster in seed.uniform(0, 2 * np.pi, 60):
        depth = float(np.clip(seed.normal(-0.36, 0.13), -0.68, -0.2))
        for _ in range(int(seed.integers(4, 16))):
            turn, height = cluster + seed.normal(0, 0.07), depth + float(seed.normal(0, 0.035))
            size = float(np.clip(seed.lognormal(1.6, 0.4), 2.5, 11))
            camera = view(float(turn), height)
            color = ["#b7b09c", "#a39d8a", "#c5c0b0", "#8f8b78"][int(seed.integers(4))]
            shell = nm.Pigment(base_color=color, roughness=0.88, height=float(seed.uniform(0.75, 0.95)))
            doc.stroke(
                layer, [(600, 400)], camera, nm.Tip(radius=size, strength=1, hardness=0.05, falloff="dome"), shell
            )
            mouth = nm.Tip(radius=max(size * 0.34, 1.0), strength=0.85, hardness=0.2)
            doc.stroke(layer, [(600, 400)], camera, mouth, nm.Pigment(base_color="#55524a", roughness=0.9, height=0.58))


if __name__ == "__main__":
    if len(sys.argv) > 1:
        document = nm.Document.open(sys.argv[1], size=2048)
    else:
        from nightmist.demo.buoy import lantern_buoy

        document = nm.Document.from_mesh(lantern_buoy(), "Lantern buoy", (2048, 2048))
    paint(document)
    for file in document.export("out", maps="png8", model="glb"):
        print(file)
