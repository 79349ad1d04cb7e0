"""WCAG 2.2 AA by axe on every page, in both themes, and at the sizes that must hold."""

from pathlib import Path

import pytest

from tests.pages.conftest import EPISODE

AXE = (Path(__file__).parents[1] / "vendor" / "axe.min.js").read_text()
TAGS = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]
STAGES = ("gather", "line-up", "mend", "prune", "balance", "send-out")
PAGES = ["/", *(f"/episodes/{EPISODE}/{stage}" for stage in STAGES)]


def violations(page):
    page.evaluate(AXE)
    found = page.evaluate("(tags) => axe.run(document, { runOnly: tags })", TAGS)
    return [(v["id"], [n["html"][:120] for n in v["nodes"]][:3]) for v in found["violations"]]


@pytest.mark.parametrize("theme", ["light", "dark"])
def test_axe_finds_nothing(page, demo_server, theme):
    base, _ = demo_server
    page.emulate_media(color_scheme=theme)
    found = {}
    for path in [*PAGES, "/sign-in", "/episodes/999/prune"]:
        with_error = path.endswith("999/prune")
        page.goto(base + path)
        if not with_error:
            page.wait_for_timeout(150)
        problems = violations(page)
        if problems:
            found[path] = problems
    assert found == {}


def test_axe_finds_nothing_in_any_view_of_prune(page, demo_server):
    """With a selection, an open seam, a section and a kept version on show."""
    base, studio = demo_server
    studio.editing.edit(EPISODE, "take_out", {"start": 200_000, "stop": 400_000})
    studio.versions.keep(EPISODE, "One cut")
    page.goto(f"{base}/episodes/{EPISODE}/prune")
    page.wait_for_selector("body[data-ready]")
    page.keyboard.press("[")
    page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("]")
    found = {}
    for view in ("Finds", "Places", "History", "Seams"):
        page.get_by_role("button", name=view, exact=True).click()
        page.wait_for_timeout(400)
        if view == "Seams":
            page.locator("ol.seams .row-button").first.click()
            page.keyboard.press("u")
            page.wait_for_timeout(400)
        problems = violations(page)
        if problems:
            found[view] = problems
    assert found == {}


@pytest.mark.parametrize(("width", "height"), [(1024, 700), (1280, 800), (1920, 1080)])
def test_nothing_is_cut_off_at_the_sizes_that_must_hold(page, demo_server, width, height):
    base, _ = demo_server
    page.set_viewport_size({"width": width, "height": height})
    for path in PAGES[1:]:
        page.goto(base + path)
        page.wait_for_selector("body[data-ready]")
        wide = page.evaluate("[document.documentElement.scrollWidth, innerWidth]")
        assert wide[0] <= wide[1], path
        outside = page.evaluate(
            """() => [...document.querySelectorAll("button, a, input, select")]
                .filter((e) => e.offsetParent && !e.classList.contains("visually-hidden"))
                .filter((e) => e.getBoundingClientRect().right > innerWidth + 1 || e.getBoundingClientRect().left < -1)
                .map((e) => e.outerHTML.slice(0, 80))"""
        )
        assert outside == [], path
