"""From the pointer event to the frame that shows it, in headless Chromium on a software renderer.

The page marks each batch of pixels that answers a sample with user timings; the server sends its own parts
along. What remains of the whole is the network, waiting for the next frame, and queues.
"""

from __future__ import annotations

import statistics

from playwright.sync_api import Browser, sync_playwright
from tests.browser.conftest import FLAGS, RENDERERS, Server
from tests.browser.test_stack import practice

from .measure import verdict
from .served import served

PARTS = ("engine", "composite", "encode", "upload", "draw")
READ = "performance.getEntriesByName('stroke lag').map(e => ({whole: e.duration, ...e.detail}))"


def main(quick: bool = False) -> None:
    with served() as server, sync_playwright() as playwright:
        args = [*FLAGS, *RENDERERS[0]]
        report(playwright.chromium.launch(executable_path="/usr/bin/chromium", args=args), server, quick)


def report(browser: Browser, server: Server, quick: bool) -> None:
    """What a stroke's lag is made of, with one layer and with more."""
    print("browser: pointer event to frame, ms (median); 640 × 400 stage, all layers painted, software renderer")
    size, more, strokes = (256, 2, 1) if quick else (2048, 8, 4)
    one, many = (_lag(browser, server, size, layers, strokes) for layers in (1, more))
    print(f"  lag with {more} layers at most 1.2 times that with one: {verdict(1.2 * one / many, 1.0)}")


def _lag(browser: Browser, server: Server, size: int, layers: int, strokes: int) -> float:
    """Milliseconds from the pointer to the frame, with that many layers on a practice sphere."""
    project = practice(server, "sphere", size)
    page = browser.new_page(viewport={"width": 910, "height": 630})
    page.goto(f"{server.url}?surroundings=off&smooth=off&measure=on#/project/{project}")
    page.wait_for_selector("canvas[data-batch]", timeout=120_000)
    box = page.locator("canvas[data-ready]").bounding_box()
    assert box
    changes = 0

    def kept() -> None:
        nonlocal changes
        changes += 1
        page.wait_for_function(
            "n => document.querySelector('[data-testid=kept]').innerText.startsWith(`Kept, change ${n}`)",
            arg=changes, timeout=60_000,
        )  # fmt: skip

    # Every layer is painted all over, thinly; a new one is the chosen one.
    for number in range(layers):
        if number:
            page.get_by_role("button", name="Layer", exact=True).click()
            kept()
        page.get_by_role("radio", name="Fill", exact=True).click()
        page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        kept()
        page.get_by_role("slider", name="Opacity").fill("300")
        kept()
    page.get_by_role("radio", name="Brush", exact=True).click()
    page.evaluate("performance.clearMeasures()")
    for stroke in range(strokes):
        y = box["y"] + box["height"] * (0.62 + 0.05 * stroke)
        page.mouse.move(box["x"] + box["width"] * 0.42, y)
        page.mouse.down()
        for step in range(16):
            page.mouse.move(box["x"] + box["width"] * (0.42 + 0.01 * step), y + step % 3)
            page.wait_for_timeout(60)
        page.mouse.up()
        page.wait_for_timeout(400)
    found = page.evaluate(READ)
    page.close()
    if not found:
        raise SystemExit(f"  {layers} layers: no stroke was shown")
    middle = {part: statistics.median(entry[part] for entry in found) for part in ("whole", *PARTS)}
    rest = middle["whole"] - sum(middle[part] for part in PARTS)
    parts = ", ".join(f"{part} {middle[part]:.1f}" for part in PARTS)
    print(f"  {layers} layers: {len(found)} frames: {middle['whole']:.0f} = {parts}, network and waiting {rest:.1f}")
    return float(middle["whole"])
