"""Everybody can use it, in the light and in the dark: axe-core finds no violation, and keys show where they are."""

from __future__ import annotations

from pathlib import Path

import pytest

from .conftest import PATIENCE, SIZE, SWITCHES

AXE = (Path(__file__).parents[2] / "web/node_modules/axe-core/axe.min.js").read_text()
#: What Headless UI puts around its cards to keep the focus inside is none of ours.
RUN = """() => axe.run(
    { include: [["html"]], exclude: [["[data-headlessui-focus-guard]"], ["[id^=headlessui-focus]"]] },
    { resultTypes: ["violations"] },
)"""

#: Cards fade in; axe would see half-transparent words.
FADED_IN = """async () => {
    for (let frame = 0; frame < 2; frame++) await new Promise(requestAnimationFrame);
    const ends = document.getAnimations().filter((each) => each.effect.getComputedTiming().endTime !== Infinity);
    await Promise.all(ends.map((each) => each.finished.catch(() => null)));
}"""


@pytest.fixture(params=["light", "dark"])
def page(request, chromium):
    """A page into which axe can be put; our own pages let no foreign script in."""
    context = chromium.new_context(viewport={**SIZE, "width": 1280}, bypass_csp=True)
    context.add_init_script(f"localStorage.setItem('nightmist-theme', '{request.param}')")
    context.set_default_timeout(PATIENCE)
    yield context.new_page()
    context.close()


def violations(page) -> list[str]:
    """What axe finds, and where."""
    page.evaluate(FADED_IN)
    page.evaluate(AXE)
    found = page.evaluate(RUN)["violations"]
    return [f"{each['id']}: {node['html'][:150]}" for each in found for node in each["nodes"]]


def test_the_gallery(page, server):
    server.create()
    page.goto(server.url)
    page.get_by_role("link", name="pier").first.wait_for()
    assert violations(page) == []


def test_paint_and_every_card(page, server):
    page.goto(f"{server.url}{SWITCHES}#/project/{server.create()}")
    page.wait_for_selector("canvas[data-ready=true]", timeout=PATIENCE)
    assert violations(page) == []
    page.keyboard.press("t")
    for card in ("Color: choose", "Keep a preset", "Keep the pigment", "Light and view", "Mirror", "Hand off"):
        page.get_by_role("button", name=card, exact=True).click()
        assert violations(page) == [], card
        page.keyboard.press("Escape")
    page.get_by_role("radio", name="Side by side").click()
    for tool in ("Fill", "Gradient", "Sample"):
        page.get_by_role("radio", name=tool, exact=True).click()
        assert violations(page) == [], tool
    page.keyboard.press("?")
    page.get_by_role("dialog").get_by_text("Tools", exact=True).wait_for()
    assert violations(page) == []


def test_the_stack_and_its_cards(page, server):
    """Groups, masks, washes, adjustments, finishes, regions, the stencil and versions."""
    page.goto(f"{server.url}{SWITCHES}#/project/{server.create()}")
    page.wait_for_selector("canvas[data-ready=true]", timeout=PATIENCE)
    page.get_by_role("button", name="Finishes").click()
    page.get_by_role("button", name="Rust", exact=True).click()
    page.locator("[data-target=true]", has_text="Rust").wait_for()
    page.get_by_role("button", name="Hides all").click()
    page.get_by_role("row", name="Rust", exact=True).first.get_by_role("button", name="Mask of Rust").wait_for()
    assert violations(page) == [], "finishes and a mask"
    page.get_by_role("button", name="Meets below: plainly").click()
    page.get_by_label("by height: low places first").click()
    page.get_by_label("Softness").wait_for()
    assert violations(page) == [], "meeting"
    page.get_by_role("button", name="Wash", exact=True).click()
    page.get_by_role("combobox", name="Color of Wash", exact=True).select_option(index=2)
    page.get_by_role("radio", name="Sphere").click()
    page.get_by_role("button", name="Maps: ").click()
    assert violations(page) == [], "a wash"
    page.get_by_role("button", name="Add an adjustment").click()
    page.get_by_role("radio", name="Curve").click()
    page.get_by_label("What each tone becomes, dark to light").wait_for()
    assert violations(page) == [], "an adjustment"
    page.get_by_role("button", name="Stencil", exact=True).click()
    page.get_by_role("list", name="Pictures of the project").get_by_role("button").first.click()
    assert violations(page) == [], "the stencil"
    page.get_by_role("button", name="Close the stencil’s settings").click()
    page.get_by_role("button", name="Add decals").click()
    page.get_by_role("list", name="Pictures of the project").get_by_role("button").first.click()
    box = page.locator("canvas[data-ready]").bounding_box()
    page.mouse.click(box["x"] + box["width"] * 0.45, box["y"] + box["height"] * 0.55)
    page.get_by_test_id("decal-frame").wait_for()
    page.get_by_role("checkbox", name="raised, or sunk").click()
    page.get_by_role("checkbox", name="Without its background").click()
    page.get_by_role("slider", name="Near to it").wait_for()
    assert violations(page) == [], "decals"
    page.get_by_role("radio", name="Pick", exact=True).click()
    assert violations(page) == [], "picking"
    page.get_by_role("button", name="Versions").click()
    page.get_by_role("button", name="Keep", exact=True).click()
    page.get_by_role("button", name="Go back", exact=True).wait_for()
    assert violations(page) == [], "versions"


#: What has the focus, and whether a ring shows it.
FOCUSED = """() => {
    // Past the last one lies the browser's own bar.
    if (document.activeElement === document.body) return ["", true];
    const { outlineStyle, outlineWidth } = getComputedStyle(document.activeElement);
    const name = document.activeElement.ariaLabel ?? document.activeElement.innerText;
    const { x, y } = document.activeElement.getBoundingClientRect();
    return [`${name} at ${x}, ${y}`, outlineStyle !== "none" && parseFloat(outlineWidth) > 0];
}"""


def test_the_tab_key_shows_where_it_is(page, server):
    """Around all of the page once, with a layer of decals and its card; and in the stack by arrow keys."""
    page.goto(f"{server.url}{SWITCHES}#/project/{server.create()}")
    page.wait_for_selector("canvas[data-ready=true]", timeout=PATIENCE)
    page.get_by_role("button", name="Add decals").click()
    page.get_by_role("button", name="Close the layer’s settings").wait_for()
    seen: dict[str, bool] = {}
    for _ in range(200):
        page.keyboard.press("Tab")
        name, ringed = page.evaluate(FOCUSED)
        if name in seen and name == next(iter(seen)):
            break
        seen[name] = ringed
        if name.startswith("Decals at"):
            page.keyboard.press("ArrowDown")
            below, seen[below] = page.evaluate(FOCUSED)
    assert len(seen) > 50
    assert any(name.startswith("Decals at") for name in seen)
    assert [name for name, ringed in seen.items() if not ringed] == []


def test_prepare_and_its_cards(page, server):
    page.goto(f"{server.url}{SWITCHES}#/project/{server.create()}")
    page.wait_for_selector("canvas[data-ready=true]", timeout=PATIENCE)
    page.keyboard.press("1")
    page.wait_for_selector("[data-testid=checkup][data-running=false]", timeout=PATIENCE)
    assert violations(page) == []
    for card in ("Turn, align", "Plan sizes", "Start"):
        page.get_by_role("button", name=card, exact=True).click()
        assert violations(page) == [], card
        page.keyboard.press("Escape")
