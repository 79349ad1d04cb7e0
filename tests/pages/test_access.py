"""WCAG 2.2 AA by axe on every page, in both themes, and at the sizes that must hold."""

from pathlib import Path

import pytest

from tests.pages.conftest import EPISODE

AXE = (Path(__file__).parents[1] / "vendor" / "axe.min.js").read_text()
TAGS = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]
STAGES = ("gather", "line-up", "mend", "prune", "balance", "send-out")
PAGES = ["/", *(f"/episodes/{EPISODE}/{stage}" for stage in STAGES)]
SIZES = ((1024, 700), (1280, 800), (1920, 1080))
OUTSIDE = """() => [...document.querySelectorAll("button, a, input, select")]
    .filter((e) => e.offsetParent && !e.classList.contains("visually-hidden"))
    .filter((e) => e.getBoundingClientRect().right > innerWidth + 1 || e.getBoundingClientRect().left < -1)
    .map((e) => e.outerHTML.slice(0, 80))"""


def violations(page):
    page.evaluate(AXE)
    found = page.evaluate("(tags) => axe.run(document, { runOnly: tags })", TAGS)
    return [(v["id"], [n["html"][:120] for n in v["nodes"]][:3]) for v in found["violations"]]


def cut_off(page):
    """What is wider than the page or lies beside it, at any of the sizes that must hold."""
    found = {}
    for width, height in SIZES:
        page.set_viewport_size({"width": width, "height": height})
        page.wait_for_timeout(100)
        wide, inner = page.evaluate("[document.documentElement.scrollWidth, innerWidth]")
        outside = page.evaluate(OUTSIDE)
        if wide > inner or outside:
            found[width] = (wide, outside)
    page.set_viewport_size({"width": 1280, "height": 800})
    return found


@pytest.mark.parametrize("paths", [PAGES[:4], [*PAGES[4:], "/sign-in", "/episodes/999/prune"]])
def test_axe_finds_nothing_in_either_theme_and_nothing_is_cut_off_at_any_size(page, demo_server, paths):
    base, _ = demo_server
    found = {}
    for path in paths:
        page.goto(base + path)
        if "/episodes/" in path and "/999/" not in path:
            page.wait_for_selector("body[data-ready]")
        found[path, "sizes"] = cut_off(page)
        page.wait_for_timeout(150)
        for theme in ("light", "dark"):
            page.emulate_media(color_scheme=theme)
            page.wait_for_timeout(50)
            found[path, theme] = violations(page)
    assert {what: problems for what, problems in found.items() if problems} == {}


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
