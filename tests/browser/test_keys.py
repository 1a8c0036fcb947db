"""Commands in a real browser: what keys do, whose they are, and the list of all of them."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from .test_decals import on_body
from .test_painting import RED, plain_red
from .test_stack import drag_row


def chosen_tool(tab) -> str:
    return tab.page.locator("[aria-label=Tool] [aria-checked=true]").inner_text()


def focused(tab) -> str:
    return tab.page.evaluate("document.activeElement.tagName")


def test_all_keys_are_listed_searched_and_done(painter):
    """? opens the list, a search narrows it, a click does what the key does; Escape gives the stage its keys back."""
    tab = plain_red(painter)
    page = tab.page
    page.keyboard.press("?")
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_role("button", name="Undo")).to_be_visible()
    expect(dialog.locator("kbd", has_text="Shift + drag")).to_be_visible()
    page.keyboard.type("smear")
    expect(dialog.get_by_role("button")).to_have_count(1)
    dialog.get_by_role("button").click()
    expect(dialog).to_have_count(0)
    assert chosen_tool(tab) == "Smear"
    page.get_by_role("button", name="All keys").click()
    page.get_by_label("Search the keys").fill("nothing of the kind")
    expect(page.get_by_text("No key does that.")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_have_count(0)
    page.wait_for_function("document.activeElement.tagName === 'CANVAS'")


def test_no_tooltip_names_a_key_that_does_nothing(painter):
    """Every key that a tooltip promises is in the list; the ones that did nothing once do what they say."""
    tab = plain_red(painter)
    page = tab.page
    promised = set()
    for stage in ("Prepare", "Paint"):
        page.get_by_role("button", name=stage, exact=True).click()
        for title in page.eval_on_selector_all("[title]", "all => all.map((one) => one.title)"):
            promised.update(re.findall(r"\(((?:Ctrl\+|Shift\+|Alt\+)*(?:[A-Z0-9?,.<>]|F\d|Up|Down|Escape))\)", title))
    page.keyboard.press("?")
    listed = page.get_by_role("dialog").locator("kbd").all_inner_texts()
    shown = {"Up": "↑", "Down": "↓", "Escape": "Esc"}
    assert len(promised) > 15
    for key in promised:
        *before, last = key.split("+")
        assert "+".join([*before, shown.get(last, last)]) in listed, key
    page.keyboard.press("Escape")
    page.keyboard.press("1")
    page.keyboard.press("k")
    expect(page.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("Pack"))
    page.keyboard.press("w")
    expect(page.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("Unwrap"))


def test_keys_lie_where_they_do_on_keyboards_of_other_scripts(painter):
    tab = plain_red(painter)
    page = tab.page
    tab.drag((0.42, 0.5), (0.46, 0.5))
    tab.wait_kept(1)

    def press(key: str, code: str, ctrl: bool = False) -> None:
        event = {"key": key, "code": code, "ctrlKey": ctrl, "bubbles": True, "cancelable": True}
        page.evaluate("init => document.activeElement.dispatchEvent(new KeyboardEvent('keydown', init))", event)

    press("я", "KeyZ", ctrl=True)
    tab.wait_kept(2)
    expect(page.get_by_role("button", name="Redo")).to_be_enabled()
    press("ы", "KeyS")
    assert chosen_tool(tab) == "Smear"
    radius = page.get_by_label("Radius", exact=True)
    before = radius.input_value()
    press("ю", "Period")
    expect(radius).not_to_have_value(before)
    press("б", "Comma")
    expect(radius).to_have_value(before)


def hold(page, key: str, times: int) -> None:
    """A key that says itself so often until it is let go."""
    for _ in range(times):
        page.keyboard.down(key)
    page.keyboard.up(key)


def test_a_key_that_stays_down_is_one_word(painter):
    """A switch does not go to and fro, nothing is made twice; sizes and steps back go on."""
    tab = plain_red(painter)
    page = tab.page
    rows = page.get_by_role("row")
    layers = rows.count()
    color = page.get_by_label("Color", exact=True)
    before = color.input_value()
    hold(page, "x", 4)
    expect(color).not_to_have_value(before)
    page.keyboard.down("Shift")
    hold(page, "D", 4)
    page.keyboard.up("Shift")
    tab.wait_kept(1)
    expect(rows).to_have_count(layers + 1)
    radius = page.get_by_label("Radius", exact=True)
    first = int(radius.input_value())
    page.keyboard.press(".")
    once = int(radius.input_value())
    hold(page, ".", 3)
    assert int(radius.input_value()) - once > once - first


def test_the_other_hand_chooses_a_tool_while_the_view_is_turned(painter):
    """While a stroke is drawn it chooses none."""
    tab = plain_red(painter)
    page = tab.page
    for start, chosen in ((tab.at(0.02, 0.95), "Smear"), (tab.at(0.42, 0.5), "Smear")):
        page.mouse.move(*start)
        page.mouse.down()
        page.mouse.move(start[0] + 30, start[1], steps=3)
        page.keyboard.press("s" if chosen_tool(tab) == "Brush" else "e")
        page.mouse.up()
        assert chosen_tool(tab) == chosen


def test_hands_that_save_are_told_that_all_is_kept(painter):
    """Instead of the browser's own question where to put the page, also while a name is typed or a list is open."""
    tab = plain_red(painter)
    page = tab.page
    tab.drag((0.42, 0.5), (0.46, 0.5))
    tab.wait_kept(1)
    page.evaluate("""() => {
      const told = (event) => setTimeout(() => event.key === "s" && (window.prevented = event.defaultPrevented));
      addEventListener("keydown", told, true);
    }""")
    for focus in (
        lambda: page.locator("canvas[data-ready]").focus(),
        lambda: page.get_by_label("Strength", exact=True).focus(),
        lambda: page.keyboard.press("F2"),
        lambda: page.get_by_role("button", name="What else for the layer").click(),
        lambda: page.keyboard.press("?"),
    ):
        focus()
        page.evaluate("() => (window.prevented = null)")
        page.keyboard.press("Control+s")
        page.wait_for_function("() => window.prevented === true")
        expect(page.get_by_text("There is nothing to save")).to_be_visible()
        page.keyboard.press("Escape")
    assert chosen_tool(tab) == "Brush"


def test_keys_never_reach_what_merely_kept_the_focus(painter):
    """After a list, a slider or a button was used with the pointer, keys mean the stage; typing keeps its keys."""
    tab = plain_red(painter)
    page = tab.page
    modes = page.get_by_label("Blend mode")
    box = modes.bounding_box()
    page.mouse.click(box["x"] + 10, box["y"] + 10)
    page.keyboard.press("Escape")
    modes.select_option("multiply")
    tab.wait_kept(1)
    page.keyboard.press("e")
    assert chosen_tool(tab) == "Erase"
    expect(modes).to_have_value("multiply")
    page.get_by_role("radio", name="Smear").click()
    page.keyboard.press("o")
    page.keyboard.press(" ")
    assert chosen_tool(tab) == "Soften"
    slider = page.get_by_role("slider", name="Strength", exact=True)
    place = slider.bounding_box()
    page.mouse.click(place["x"] + place["width"] * 0.5, place["y"] + 5)
    held = slider.input_value()
    # A slider is moved on by keys that mean nothing over the stage, and by no others.
    page.keyboard.press("ArrowRight")
    assert int(slider.input_value()) == int(held) + 1
    page.keyboard.press("e")
    page.keyboard.press("ArrowLeft")
    assert chosen_tool(tab) == "Erase"
    assert slider.input_value() == held
    # Reached by keys it takes them.
    page.keyboard.press("Tab")
    page.keyboard.press("Shift+Tab")
    page.keyboard.press("ArrowRight")
    assert int(slider.input_value()) > int(held)
    held = slider.input_value()
    # Once the stage was pressed they do not reach it.
    tab.drag((0.4, 0.5), (0.45, 0.5))
    page.keyboard.press("ArrowRight")
    assert slider.input_value() == held


def test_the_wheel_turns_the_chosen_decal_with_alt(painter, server):
    """Three notches are 15 degrees and one step, the same as the typed number."""
    project, tab, _ = on_body(painter, server, "box")
    page = tab.page
    turn = page.get_by_role("textbox", name="Turn")
    page.mouse.move(*tab.at(0.5, 0.4))
    lain = server.texels(project, "box")
    page.keyboard.down("Alt")
    for _ in range(3):
        page.mouse.wheel(0, 100)
    page.keyboard.up("Alt")
    tab.wait_kept(4)
    expect(turn).to_have_value("15")
    turned = server.texels(project, "box")
    assert (turned != lain).any(axis=2).sum() > 100
    page.keyboard.press("Control+z")
    tab.wait_kept(5)
    expect(turn).to_have_value("0")
    assert (server.texels(project, "box") == lain).all()
    turn.fill("15")
    turn.press("Enter")
    tab.wait_kept(6)
    assert (server.texels(project, "box") == turned).all()


def test_a_press_on_the_stage_takes_the_focus(painter):
    """A name being typed counts as soon as the stage is pressed; then keys mean the stage."""
    tab = plain_red(painter)
    page = tab.page
    page.keyboard.press("F2")
    page.get_by_label("Name of the layer").fill("Primer p")
    tab.drag((0.4, 0.5), (0.45, 0.5))
    tab.wait_kept(2)
    assert focused(tab) == "CANVAS"
    expect(page.get_by_role("button", name="Primer p", exact=False).first).to_be_visible()
    page.keyboard.press("f")
    assert chosen_tool(tab) == "Fill"


def test_a_slider_shows_while_it_moves_and_is_one_step(painter):
    """The stage follows the opacity before the slider rests; a single undo brings all of it back."""
    tab = plain_red(painter)
    page = tab.page
    tab.drag((0.35, 0.5), (0.45, 0.5))
    tab.wait_kept(1)
    full = tab.colors()
    slider = page.get_by_role("slider", name="Opacity")
    place = slider.bounding_box()
    y = place["y"] + place["height"] / 2
    page.mouse.move(place["x"] + place["width"] - 6, y)
    page.mouse.down()
    page.mouse.move(place["x"] + 8, y, steps=5)
    middle = full.shape[0] // 2, int(0.4 * full.shape[1])
    tab.wait_view(lambda now: abs(now[middle] - full[middle]).max() > 40, "nothing shows while the slider moves")
    page.mouse.up()
    tab.wait_kept(2)
    page.keyboard.press("Control+z")
    tab.wait_kept(3)
    tab.wait_view(lambda now: abs(now[middle] - full[middle]).max() < 6, "undo does not bring the paint back")


def test_a_number_is_kept_though_another_layer_is_chosen_at_once(painter):
    """Typed for the lower one and left by a click on the upper one: it is the lower one's, and one step to undo."""
    tab = plain_red(painter)
    page = tab.page
    page.get_by_role("button", name="Layer", exact=True).click()
    tab.wait_kept(1)
    lower = page.get_by_role("row", name="First paint")
    lower.click()
    page.get_by_role("button", name="100%").first.click()
    page.get_by_label("A number").fill("40")
    page.get_by_role("row", name="Layer", exact=True).click()
    tab.wait_kept(2)
    expect(lower).to_contain_text("Normal 40%")
    expect(page.get_by_role("row", name="Layer", exact=True)).to_contain_text("Normal 100%")
    page.get_by_role("button", name="Undo", exact=True).click()
    tab.wait_kept(3)
    expect(lower).to_contain_text("Normal 100%")


def test_undo_in_a_field_that_nothing_was_typed_in_means_the_project(painter, server):
    """A number is set and Tab leads to the next field: undo takes it back. Escape drops what is half typed."""
    _, tab, _ = on_body(painter, server, "sphere")
    page = tab.page
    wide, high = page.get_by_role("textbox", name="Wide"), page.get_by_role("textbox", name="High")
    before, tall = wide.input_value(), high.input_value()
    wide.fill(f"{float(before) / 2:g}")
    page.keyboard.press("Tab")
    tab.wait_kept(4)
    expect(high).to_be_focused()
    half, low = wide.input_value(), high.input_value()
    page.keyboard.type("7")
    page.keyboard.press("Control+z")
    page.keyboard.press("Escape")
    expect(high).to_have_value(low)
    assert wide.input_value() == half
    high.focus()
    page.keyboard.press("Control+z")
    tab.wait_kept(5)
    expect(wide).to_have_value(before)
    expect(high).to_have_value(tall)
    page.keyboard.press("Control+Shift+z")
    tab.wait_kept(6)
    expect(wide).to_have_value(half)


def test_a_surface_that_nobody_painted_costs_one_texel(painter):
    """Texels on the GPU: one a picture until something is painted, then the whole of that picture alone."""
    tab = plain_red(painter)

    def texels():
        return int(tab.page.locator("canvas[data-ready]").get_attribute("data-texels"))

    assert texels() == 6
    tab.drag((0.4, 0.5), (0.45, 0.5))
    tab.wait_kept(1)
    tab.wait_color(0.42, 0.5, RED, 60)
    assert texels() == 256 * 256 + 5


def test_what_keys_do_with_layers_is_done_with_those_that_are_shown_marked(painter):
    """Two are marked and grouped; from then on the group is meant, also after undo, until others are marked."""
    tab = plain_red(painter)
    page = tab.page
    rows = page.get_by_role("row")
    marked = page.locator("[role=row][aria-selected=true]")
    for count in (1, 2):
        page.get_by_role("button", name="Layer", exact=True).click()
        tab.wait_kept(count)
    middle, below = (page.get_by_role("row", name=name, exact=True) for name in ("Layer", "First paint"))
    below.click()
    middle.click(modifiers=["Shift"])
    expect(marked).to_have_count(2)
    page.keyboard.press("Shift+G")
    tab.wait_kept(3)
    expect(rows).to_have_count(4)
    expect(below).to_have_attribute("data-level", "2")
    expect(middle).to_have_attribute("data-level", "2")
    expect(marked).to_have_count(1)
    expect(marked).to_have_attribute("aria-label", "Group")
    page.keyboard.press("Control+z")
    tab.wait_kept(4)
    expect(rows).to_have_count(3)
    expect(marked).to_have_count(1)
    page.keyboard.press("Shift+D")
    tab.wait_kept(5)
    expect(rows).to_have_count(4)


def test_shift_marks_all_from_the_chosen_layer_on(painter):
    """By the pointer and by arrows, further and back; also from a layer that no click has chosen."""
    tab = plain_red(painter)
    page = tab.page
    for count in (1, 2, 3):
        page.keyboard.press("Shift+L")
        tab.wait_kept(count)
    rows, marked = page.get_by_role("row"), page.locator("[role=row][aria-selected=true]")
    expect(marked).to_have_text([re.compile("Layer 3")])
    for row, names in [(2, ["3", "2", ""]), (3, ["3", "2", "", "First"]), (1, ["3", "2"]), (0, ["3"])]:
        rows.nth(row).click(modifiers=["Shift"])
        expect(marked).to_have_text([re.compile(rf"^(Layer )?{name}") for name in names])
    rows.nth(1).click()
    for key, count in [("ArrowDown", 2), ("ArrowDown", 3), ("ArrowUp", 2)]:
        page.keyboard.press(f"Shift+{key}")
        expect(marked).to_have_count(count)
    rows.nth(3).click(modifiers=["Control"])
    expect(marked).to_have_text([re.compile("Layer 2"), re.compile("Layer"), re.compile("First paint")])
    expect(page.get_by_test_id("target")).to_contain_text("Layer 2")


def test_keys_move_all_marked_layers_into_open_groups_and_out_of_them(painter):
    """Two marked ones go as one, past a row, into a group, out of it; a folded group is passed by."""
    tab = plain_red(painter)
    page = tab.page

    def rows() -> list[tuple[str, str]]:
        """Names as they stand, topmost first, each with how deep it lies."""
        found = page.get_by_role("row")
        return [(one.inner_text().split("\n")[0], one.get_attribute("aria-level")) for one in found.all()]

    def row(name: str):
        return page.get_by_role("row", name=name, exact=True)

    def press(key: str, wanted: str) -> None:
        """Each name with how deep it lies, and a step that is kept where anything has moved."""
        nonlocal change
        change += ", ".join(map("".join, rows())) != wanted
        page.keyboard.press(key)
        tab.wait_kept(change)
        assert ", ".join(map("".join, rows())) == wanted

    change = 0
    for name in ("Layer", "Layer 2", "Layer 3"):
        page.keyboard.press("Shift+L")
        change += 1
        tab.wait_kept(change)
        expect(row(name)).to_have_attribute("data-target", "true")
    row("First paint").click()
    press("Shift+G", "Layer 31, Layer 21, Layer1, Group1, First paint2")
    row("Layer").click()
    row("Layer 2").click(modifiers=["Control"])
    press("Alt+ArrowUp", "Layer 21, Layer1, Layer 31, Group1, First paint2")
    press("Alt+ArrowUp", "Layer 21, Layer1, Layer 31, Group1, First paint2")
    press("Alt+ArrowDown", "Layer 31, Layer 21, Layer1, Group1, First paint2")
    press("Alt+ArrowDown", "Layer 31, Group1, Layer 22, Layer2, First paint2")
    press("Alt+ArrowDown", "Layer 31, Group1, First paint2, Layer 22, Layer2")
    press("Alt+ArrowDown", "Layer 31, Group1, First paint2, Layer 21, Layer1")
    expect(page.get_by_role("button", name="Move layer down")).to_be_disabled()
    row("Group").get_by_role("button").first.click()
    row("Layer").click()
    page.get_by_role("button", name="Move layer up").click()
    tab.wait_kept(change + 1)
    page.get_by_role("button", name="Move layer up").click()
    tab.wait_kept(change + 2)
    row("Group").get_by_role("button").first.click()
    expect(page.get_by_role("row")).to_have_count(5)
    assert ", ".join(map("".join, rows())) == "Layer 31, Layer1, Group1, First paint2, Layer 21"


def test_keys_mean_the_same_with_the_focus_in_the_stack(painter):
    """Layers are named one after another, whichever row was used last; no name takes the letter that it begins with."""
    tab = plain_red(painter)
    page = tab.page
    rows = page.get_by_role("row")
    for name in ("Primer", "Edges"):
        page.keyboard.press("Shift+L")
        expect(rows.first).to_contain_text("Layer")
        page.keyboard.press("F2")
        page.keyboard.type(name)
        page.keyboard.press("Enter")
        expect(rows.first).to_contain_text(name)
        rows.first.click()
    primer = rows.filter(has_text="Primer")
    for row, key, tool in ((rows.first, "e", "Erase"), (primer, "p", "Brush")):
        row.click()
        page.keyboard.press(key)
        assert chosen_tool(tab) == tool
    primer.click()
    rows.first.click(modifiers=["Control"])
    page.keyboard.press("Shift+D")
    expect(rows.filter(has_text="Primer 2")).to_be_visible()
    expect(rows.first).to_contain_text("Edges 2")
    # A card that a row has opened is closed from there.
    page.get_by_role("button", name="Wash", exact=True).click()
    closing = page.get_by_role("button", name="Close the layer’s settings")
    expect(closing).to_be_visible()
    rows.first.click()
    page.keyboard.press("Escape")
    expect(closing).to_have_count(0)


def test_a_name_in_the_stack_is_typed_as_in_any_field(painter):
    """Arrows go from letter to letter, a drag of the pointer marks letters; rows are dragged again afterwards."""
    tab = plain_red(painter)
    page = tab.page
    rows = page.get_by_role("row")
    page.keyboard.press("Shift+L")
    expect(rows.first).to_contain_text("Layer")
    page.keyboard.press("F2")
    field = page.get_by_label("Name of the layer")
    page.keyboard.type("Od  paint")
    for key in ("Home", "ArrowRight", "l", "ArrowRight", "Delete", "End", "s"):
        page.keyboard.press(key)
    expect(field).to_have_value("Old paints")
    box = field.bounding_box()
    page.mouse.move(box["x"] + box["width"] - 4, box["y"] + 14)
    page.mouse.down()
    page.mouse.move(box["x"] + 2, box["y"] + 14, steps=6)
    page.mouse.up()
    page.keyboard.type("Edges")
    expect(field).to_have_value("Edges")
    page.keyboard.press("Enter")
    expect(rows.first).to_contain_text("Edges")
    drag_row(tab, "Edges", rows.last.get_attribute("aria-label"), 0.9)
    expect(rows.last).to_contain_text("Edges")


def test_marked_layers_that_are_gone_hold_up_nothing(painter):
    """One of two that were marked has been undone: what is done then is done with the other."""
    tab = plain_red(painter)
    page = tab.page
    rows = page.get_by_role("row")
    before = rows.count()
    page.keyboard.press("Shift+L")
    expect(rows).to_have_count(before + 1)
    rows.last.click()
    rows.first.click(modifiers=["Control"])
    page.get_by_role("button", name="Undo").click()
    expect(rows).to_have_count(before)
    page.keyboard.press("Shift+D")
    expect(rows).to_have_count(before + 1)
    rows.nth(0).click()
    rows.nth(1).click(modifiers=["Control"])
    page.get_by_role("button", name="Add a group").click()
    expect(rows.first).to_contain_text("Group")
    expect(rows.filter(has=page.get_by_role("button", name=re.compile("^Collapse|^Expand")))).to_have_count(1)
    expect(rows).to_have_count(before + 2)
