"""The main job in a real browser: paste names, connect them on the map, findings disappear, undo, export, import."""

from __future__ import annotations

from collections.abc import Callable

from playwright.sync_api import Page, expect

from lattice.formats.document_json import load
from lattice.model.document import Template
from tests.browser.gestures import consequences_arrive, holding, rect_of
from tests.build import template
from web.shelf.demo import night_ferry
from web.shelf.models import StoredTemplate
from web.shelf.workspace import workspace

Opener = Callable[..., StoredTemplate]


def box(page: Page, strip: str):  # type: ignore[no-untyped-def]
    return page.locator(f'#sheet-holder [data-id="{strip}"]')


def frame(page: Page, strip: str):  # type: ignore[no-untyped-def]
    """The frame of a box, without the mark beside it."""
    return box(page, strip).locator("rect:not(.edge):not(.back)").first


def choose(page: Page, strip: str) -> None:
    """Click a strip and wait for its side panel."""
    box(page, strip).click()
    page.wait_for_selector(f"#panel [data-strip='{strip}']")


def drag(page: Page, start: str, end: str) -> None:
    one, other = (rect_of(frame(page, strip)) for strip in (start, end))
    page.mouse.move(one["x"] + one["width"] / 2, one["y"] + 6)
    page.mouse.down()
    page.mouse.move(other["x"] + 30, other["y"] + 8, steps=6)
    page.mouse.up()


def at_version(page: Page, version: int) -> None:
    page.wait_for_selector(f'#state[data-version="{version}"]', state="attached")


def counts(page: Page) -> str:
    return "".join(page.locator("#counts").inner_text().split())


def now() -> Template:
    return workspace(StoredTemplate.objects.latest("pk")).template


def test_from_pasted_names_to_a_clean_map_and_back(page: Page) -> None:
    page.goto("/import/")
    page.fill("#id_text", "Kick\nSnare\nDrum bus\nMain out\n")
    page.click("text=Preview")
    expect(page.locator("#bring-wire")).to_be_checked()
    with page.expect_response(lambda answer: "/choose/" in answer.url):
        page.click("#bring-wire")
    expect(page.locator("#bring-wire")).not_to_be_checked()
    expect(page.locator(".outcome")).to_contain_text("0 routes")
    page.fill("#bring-name", "Browser kit")
    page.click("button:text-is('Import')")
    page.wait_for_selector("body[data-ready]")
    expect(page.locator(".crumb .name")).to_have_text("Browser kit")
    for kind in ("bus", "output"):  # read from the names
        expect(page.locator(f"#sheet-holder .k-{kind}")).to_have_count(1)
    # by dragging
    drag(page, "kick", "drum-bus")
    page.click("#chooser-feed")
    expect(box(page, "kick")).not_to_have_class("blocker")
    at_version(page, 2)
    # by keyboard: choose, press c, type the name, Enter, Enter
    choose(page, "snare")
    page.keyboard.press("c")
    page.keyboard.type("drum b")
    page.keyboard.press("Enter")
    page.keyboard.press("Enter")
    at_version(page, 3)
    choose(page, "drum-bus")
    page.keyboard.press("c")
    page.keyboard.type("main")
    page.keyboard.press("Enter")
    page.keyboard.press("Enter")
    at_version(page, 4)
    expect(page.locator(".finding .sev.blocker, .finding .sev.warning")).to_have_count(0)
    assert counts(page).startswith("blockers0warnings0notes")  # levels and latency are noted
    assert len(now().routes) == 3
    # undo and redo, by key
    page.keyboard.press("Escape")
    for _ in range(3):  # quick ones are answered one by one
        page.keyboard.press("Control+z")
    at_version(page, 7)
    assert now().routes == ()
    for _ in range(3):
        page.keyboard.press("Control+y")
    at_version(page, 10)
    expect(page.locator(".finding .sev.blocker, .finding .sev.warning")).to_have_count(0)


def test_what_is_exported_comes_back_as_the_same_document(page: Page, on_map: Opener, tmp_path) -> None:  # type: ignore[no-untyped-def]
    on_map(night_ferry.in_work())
    page.goto("/")
    page.click("summary[aria-label='Export Night Ferry']")
    with page.expect_download() as download:
        page.click("text=Document, JSON")
    path = tmp_path / "kit.json"
    download.value.save_as(path)
    before = now()
    assert load(path.read_bytes()) == before
    page.goto("/import/")
    page.set_input_files("#id_file", path)  # read at once
    page.click("button:text-is('Import')")
    page.wait_for_selector("body[data-ready]")
    assert StoredTemplate.objects.count() == 2
    assert now() == before


def test_a_finding_shows_its_evidence_and_its_remedy_is_one_click(page: Page, on_map: Opener) -> None:
    on_map(night_ferry.in_work())
    expect(page.locator("[data-poll]")).to_have_count(0)  # what follows has come to stand under its matters
    before = page.locator(".matter").count()
    loop = page.locator(".matter", has_text="Feedback loop")
    loop.locator(".finding-line").first.click()
    loop.locator(".matter-more .finding-line", has_text="Feedback loop").click()
    expect(page.locator("#overlay .shown")).to_have_count(2)
    assert "finding=" in page.url
    page.reload()  # a deep link
    page.wait_for_selector("body[data-ready]")
    expect(page.locator("#overlay .shown")).to_have_count(2)
    gangway = page.locator(".matter", has_text="Gangway doors reaches no output, print or stem")
    gangway.locator("text=Feed to Effects").click()
    expect(gangway).to_have_count(0)
    page.mouse.move(300, 790)
    expect(page.locator("[data-poll]")).to_have_count(0)
    assert page.locator(".matter").count() == before - 1
    page.click("#undo")
    expect(gangway).to_have_count(1)


def test_the_map_does_not_jump_on_an_edit(page: Page, on_map: Opener) -> None:
    on_map(night_ferry.in_work())
    page.mouse.move(500, 700)
    page.mouse.wheel(0, 120)
    page.keyboard.press("+")

    def places() -> dict[str, list[float]]:
        return page.evaluate(
            "Object.fromEntries([...document.querySelectorAll('#sheet-holder .box')].map(b => [b.dataset.id, (r => [r.x, r.y])(b.getBoundingClientRect())]))"
        )

    before, transform = places(), page.locator("#sheet-holder").get_attribute("style")
    choose(page, "bells")
    page.fill("#s-fader", "-7.5")
    page.keyboard.press("Tab")
    at_version(page, 2)
    assert places() == before
    assert page.locator("#sheet-holder").get_attribute("style") == transform
    assert page.evaluate("document.activeElement.id") == "s-pan"
    page.keyboard.press("a")
    assert page.locator("#s-pan").input_value() == "a"  # the tab selected it all; typing is typing


def test_quick_typing_loses_nothing_while_answers_arrive(page: Page, on_map: Opener) -> None:
    on_map(night_ferry.clean())
    choose(page, "bells")
    page.fill("#s-name", "Ship bells")
    page.fill("#s-tags", "spare")
    page.fill("#s-fader", "-9")
    page.fill("#s-note", "half written")  # not left yet when the three answers come
    at_version(page, 4)
    expect(page.locator("#s-note")).to_have_value("half written")
    assert page.evaluate("document.activeElement.id") == "s-note"
    page.keyboard.press("Tab")
    at_version(page, 5)
    bells = next(strip for strip in now().strips if strip.id == "bells")
    assert (bells.name, bells.tags, bells.fader_db, bells.note) == ("Ship bells", ("spare",), -9.0, "half written")


def test_hover_dims_all_but_the_stream_and_a_trace_is_a_sentence(page: Page, on_map: Opener) -> None:
    on_map(night_ferry.clean())
    box(page, "bells").hover()
    lit = page.evaluate("[...document.querySelectorAll('.box.lit')].map(b => b.dataset.id)")
    assert {"bells", "effects-bus", "show-mix", "out-show"} <= set(lit)
    assert "narration-en" not in lit
    box(page, "bells").click()
    page.wait_for_selector("#s-name")
    page.keyboard.press("t")
    trace = page.locator(".trace").first
    expect(trace).to_contain_text("feeds Effects")
    expect(page.locator("#overlay .shown").first).to_be_attached()
    page.keyboard.press("Shift+T")
    page.keyboard.type("show mix stereo")
    page.keyboard.press("Enter")
    expect(page.locator(".trace")).to_have_count(2)


def rename(tab: Page, name: str) -> None:
    """Renames the bells in one of several tabs: in front, as one in the background draws no frames."""
    tab.bring_to_front()
    tab.locator('#sheet-holder [data-id="bells"]').click()
    tab.fill("#s-name", name)
    tab.keyboard.press("Tab")


def test_a_stale_tab_is_told_and_nothing_is_lost(page: Page, on_map: Opener) -> None:
    on_map(night_ferry.clean())
    other = page.context.new_page()
    other.route("**/news/*", lambda route: route.abort())  # it does not hear of the edit
    other.goto(page.url)
    other.wait_for_selector("body[data-ready]")
    rename(page, "Big bells")
    expect(page.locator("#state")).to_have_attribute("data-version", "2")
    rename(other, "Small bells")
    expect(other.locator("#notice")).to_contain_text("Bells: name Big bells")
    assert next(strip.name for strip in now().strips if strip.id == "bells") == "Big bells"
    other.click("#notice >> text=Reload")
    other.wait_for_selector("body[data-ready]")
    expect(other.locator("#s-name")).to_have_value("Big bells")


def test_bad_values_are_said_in_place(page: Page, on_map: Opener) -> None:
    on_map(night_ferry.clean())
    choose(page, "bells")
    page.fill("#s-fader", "very loud")
    page.keyboard.press("Tab")
    expect(page.locator("#notice")).to_contain_text("“veryloud”")
    assert page.locator("#state").get_attribute("data-version") == "1"


def test_folding_and_walking_by_keyboard(page: Page, on_map: Opener) -> None:
    on_map(night_ferry.clean())
    page.click("text=Collapse all")
    expect(page.locator("#sheet-holder .k-fold")).to_have_count(6)
    box(page, "fold:choir").focus()
    page.keyboard.press("Enter")
    expect(page.locator("#sheet-holder .k-fold")).to_have_count(5)
    box(page, "choir-bus").click()
    page.wait_for_selector("#s-name")
    page.keyboard.press("Escape")
    box(page, "choir-bus").focus()
    page.keyboard.press("ArrowRight")
    assert page.evaluate("document.activeElement.dataset.id") not in (None, "choir-bus")
    page.keyboard.press("/")
    page.keyboard.type("alto")
    page.keyboard.press("Enter")
    expect(page.locator("#s-name")).to_have_value("Alto notes")


def test_adding_strips_to_an_empty_sheet(page: Page, on_map: Opener) -> None:
    on_map(Template(name="Fresh"))
    page.click(".empty.over >> text=Add strips")
    page.fill("#new-section", "Choir")
    page.click("text=Add section")
    expect(page.locator('#sheet-holder [data-id="choir-bus"]')).to_have_count(1)
    page.keyboard.press("Escape")
    page.keyboard.press("a")
    page.fill("#add-names", "Alto\nTenor")
    page.fill("#add-section", "Choir")
    page.click("#panel button:has-text('Add strips')")
    expect(page.locator("#sheet-holder .k-audio")).to_have_count(2)
    assert [(route.from_strip, route.to) for route in now().routes] == [("alto", "choir-bus"), ("tenor", "choir-bus")]
    expect(page.locator(".empty.over")).to_be_hidden()


def test_crosspoints_by_keyboard(page: Page, on_map: Opener) -> None:
    stored = on_map(night_ferry.in_work())
    page.goto(f"/t/{stored.pk}/crosspoints/")
    page.wait_for_selector("body[data-ready]")
    row = page.locator("tr", has=page.locator("th", has_text="Gangway doors"))
    target = row.locator("td").nth(4)
    target.click()
    expect(page.locator("#grid-here")).to_have_text("Gangway doors → Effects: not connected")
    page.keyboard.press("Space")
    expect(target).to_have_text("●")
    expect(target).to_be_focused()
    page.keyboard.press("Shift+ArrowUp")
    page.keyboard.press("Delete")
    at_version(page, 3)
    page.keyboard.press("Control+z")
    expect(target).to_have_text("●")
    page.keyboard.type("-7.5")
    page.keyboard.press("Enter")
    at_version(page, 5)
    levels = {route.from_strip: route.gain_db for route in now().routes if route.to == "effects-bus"}
    assert levels["gangway"] == levels["engine-room"] == -7.5


def test_the_selection_goes_from_place_to_place(page: Page, on_map: Opener) -> None:
    on_map(night_ferry.clean())
    choose(page, "bells")
    page.click("nav >> text=Crosspoints")
    page.wait_for_selector("body[data-ready]")
    expect(page.locator("#grid-here")).to_contain_text("Bells →")
    page.keyboard.press("ArrowDown")
    expect(page.locator("#grid-here")).to_contain_text("Engine room →")
    page.click("nav >> text=Map")
    page.wait_for_selector("body[data-ready]")
    expect(page.locator("#s-name")).to_have_value("Engine room")


def test_the_five_gestures_of_a_multi_output_drum_set(page: Page, on_map: Opener) -> None:
    """Issue B: from nothing but the instrument to 16 named strips fed to a bus."""
    parts = [{"id": f"p{n}", "name": f"Drum {n}", "note": 36 + n, "outlet": f"o{n}"} for n in range(16)]
    outlets = [{"id": f"o{n}", "layout": "mono", "open": n == 0} for n in range(16)]
    made = template(
        [{"id": "kit", "kind": "instrument", "section": "drums", "outlets": outlets, "parts": parts}, "b:bus", "o:out"],
        ["bus>out"], sections=[{"id": "drums", "name": "Drums", "bus": "bus", "colour": "#8a4b2d"}],
    )  # fmt: skip
    on_map(made)
    box(page, "kit").click()
    page.click("text=More…")
    page.click("#action-list >> text=Strips for its outlets")
    page.click(".action-form button")
    page.click("#do-it")
    at_version(page, 2)
    after = now()
    assert [strip.name for strip in after.strips[1:16]] == [f"Drum {n}" for n in range(1, 16)]
    assert sum(route.to == "bus" for route in after.routes) == 16


def test_what_follows_from_a_mistake_comes_to_stand_under_it_and_stays_open(page: Page, on_map: Opener) -> None:
    strips = [{"id": "kick", "name": "Kick", "kind": "audio"}, {"id": "hat", "name": "Hat", "kind": "audio"}]
    ends = [{"id": "bus", "name": "Bus", "kind": "bus", "mute": True}, {"id": "out", "name": "Out", "kind": "output"}]
    with holding(page, "**/write/follow/") as held:
        on_map(template([*strips, *ends], ["kick>bus", "hat>bus", "bus>out"]))
    matter = page.locator(".matter", has_text="2 sources are silent: Bus is muted")
    matter.locator(".finding-line").first.click()
    expect(matter.locator(".finding")).to_have_count(2)  # its content is there before the consequences are computed
    consequences_arrive(page, held[0])
    expect(matter.locator(".finding")).to_have_count(2)  # nothing moves under somebody's hand
    page.mouse.move(300, 790)
    page.evaluate("document.activeElement.blur()")
    expect(matter.locator(".finding")).to_have_count(3)  # the silent output has come under it, and it is open as before
    expect(matter.locator(".effect").first).to_contain_text("Fixes 3")
    matter.locator(".effect").first.click()
    expect(matter.locator(".effect-of")).to_contain_text("Out gets no signal: Bus is muted")
    matter.get_by_role("button", name="Unmute Bus").click()
    expect(page.locator(".matter .sev.warning, .matter .sev.blocker")).to_have_count(0)
    page.keyboard.press("Control+z")
    expect(matter.locator(".matter-count")).to_contain_text("×2")
