"""Takes docs/screenshots anew from the demo data of a running server: ./nightmist python tools/screenshots.py URL."""

from __future__ import annotations

import sys
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

FOLDER = Path(__file__).resolve().parents[1] / "docs" / "screenshots"
FLAGS = ["--no-sandbox", "--use-gl=angle", "--use-angle=gl-egl", "--ignore-gpu-blocklist"]

USUAL = {"width": 1280, "height": 800}
#: The smallest window that all is meant for, and one about as large as many screens.
SIZES = (("small", 1024, 640), ("wide", 1900, 1040))


def main(address: str) -> None:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium", args=FLAGS, ignore_default_args=["--hide-scrollbars"]
        )
        page = browser.new_page(viewport=USUAL)
        page.set_default_timeout(120_000)
        page.goto(address)
        page.wait_for_function("() => [...document.querySelectorAll('main li img')].every((i) => i.naturalWidth)")
        shoot(page, "gallery")
        enter(page, address, "Lantern buoy")
        page.get_by_role("button", name="Paint", exact=True).click()
        page.get_by_role("radio", name="Model", exact=True).click()
        shoot(page, "model")
        for name, width, height in SIZES:
            page.set_viewport_size({"width": width, "height": height})
            shoot(page, name)
        page.set_viewport_size(USUAL)
        page.get_by_role("button", name="More").click()
        shoot(page, "tips")
        page.keyboard.press("Escape")
        page.get_by_role("button", name="All keys").click()
        shoot(page, "keys")
        page.keyboard.press("Escape")
        look_close(page)
        shoot(page, "relief")
        page.get_by_role("button", name="Show all").click()
        page.get_by_role("radio", name="Side by side").click()
        shoot(page, "side-by-side")
        page.get_by_role("radio", name="Model", exact=True).click()
        fence(page)
        stencil(page)
        decals(page)
        finishes(page)
        enter(page, address, "Tide-gauge cabinet")
        page.get_by_role("button", name="Prepare").click()
        page.get_by_role("radio", name="Findings").click()
        page.wait_for_selector("[data-testid=checkup][data-running=false]")
        shoot(page, "prepare-bad")
        page.get_by_role("button", name="Unwrap anew").first.click()
        page.get_by_text("Sound: nothing to mend.").wait_for()
        page.get_by_role("radio", name="Letters").click()
        shoot(page, "prepare-cured")
        page.get_by_role("button", name="Undo").click()
        page.get_by_role("button", name="Unwrap anew").first.wait_for()
        browser.close()


def fence(page: Page) -> None:
    """A region picked on the hull, everything outside of it hatched; then as it was."""
    page.get_by_role("radio", name="Pick").click()
    press(page, 0.5, 0.66)
    page.get_by_role("button", name="Keep as region").click()
    page.get_by_label("Name of the region").or_(page.get_by_text("Region", exact=True)).first.wait_for()
    page.get_by_role("radio", name="Brush").click()
    page.get_by_role("radio", name="Side by side").click()
    shoot(page, "fence")
    page.get_by_role("radio", name="Model", exact=True).click()
    page.get_by_role("button", name="Undo").click()


def stencil(page: Page) -> None:
    """The berth mark over the hull, half transparent."""
    page.get_by_role("button", name="Stencil", exact=True).click()
    page.get_by_role("button", name="Berth mark.png").click()
    page.get_by_label("Wide").fill("190")
    page.keyboard.press("Enter")
    handle = page.get_by_role("button", name="Move the stencil").bounding_box()
    page.mouse.move(handle["x"] + 14, handle["y"] + 14)
    page.mouse.down()
    page.mouse.move(handle["x"] - 6, handle["y"] + 110, steps=4)
    page.mouse.up()
    shoot(page, "stencil")
    page.keyboard.press("z")
    page.get_by_role("button", name="Close the stencil’s settings").click()


def decals(page: Page) -> None:
    """The berth mark on the hull with its frame."""
    page.locator("[role=row]", has_text="Marks").filter(has_not_text="Rust").first.click()
    page.get_by_role("list", name="Decals, the topmost first").get_by_role(
        "button", name="Berth mark.png", exact=True
    ).last.click()
    page.get_by_test_id("decal-frame").wait_for()
    shoot(page, "decals")
    page.get_by_role("button", name="Close the layer’s settings").click()
    page.get_by_text("New paint").first.click()


def finishes(page: Page) -> None:
    """Three finishes dragged onto the buoy, each on an island of it; then as it was."""
    page.get_by_role("button", name="Finishes").click()
    canvas = page.locator("canvas[data-ready]")
    box = canvas.bounding_box()
    for name, x, y in (("Old paint", 0.5, 0.66), ("Rust", 0.5, 0.85), ("Bare steel", 0.5, 0.13)):
        place = {"x": box["width"] * x, "y": box["height"] * y}
        page.get_by_role("button", name=name, exact=True).drag_to(canvas, target_position=place)
        page.locator("[data-target=true]", has_text=name).wait_for()
        page.wait_for_timeout(2500)
    shoot(page, "finishes")
    for _ in range(3):
        page.get_by_role("button", name="Undo").click()
    page.get_by_role("button", name="Close the finishes").click()


def press(page: Page, x: float, y: float) -> None:
    """A click on the stage, as shares of its width and height."""
    box = page.locator("canvas[data-ready]").bounding_box()
    page.mouse.click(box["x"] + box["width"] * x, box["y"] + box["height"] * y)


def enter(page: Page, address: str, name: str) -> None:
    page.goto(address + "#/")
    page.reload()
    page.get_by_role("link", name=name).click()
    page.wait_for_selector("canvas[data-ready=true]")


def look_close(page: Page) -> None:
    """The wheel, at the waterline, where the relief is."""
    box = page.locator("canvas[data-ready]").bounding_box()
    page.mouse.move(box["x"] + box["width"] * 0.5, box["y"] + box["height"] * 0.84)
    for _ in range(4):
        page.mouse.wheel(0, -240)
        page.wait_for_timeout(150)


def shoot(page: Page, name: str) -> None:
    # Software rendering shows a change some frames later.
    page.wait_for_timeout(2500)
    page.screenshot(path=FOLDER / f"{name}.png")


if __name__ == "__main__":
    main(sys.argv[1])
