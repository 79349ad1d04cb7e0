"""The page's scripts, looked at without running them: a linter, and types as told by JSDoc."""

import zipfile
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent.parent
SCRIPTS = ROOT / "src" / "pampa" / "web" / "static" / "js"
TESTS = ROOT / "tests"
LONGEST = 140


@pytest.fixture
def blank(browser):
    """A page of nobody's, in which tools can be loaded."""
    page = browser.new_page()
    yield page
    page.close()


def sources(*kinds: str) -> dict[str, str]:
    return {path.name: path.read_text() for kind in kinds for path in sorted(SCRIPTS.glob(f"*.{kind}"))}


def test_the_linter_finds_nothing(blank):
    with zipfile.ZipFile(TESTS / "vendor" / "eslint-9.zip") as packed:
        blank.add_script_tag(content=packed.read("eslint.js").decode())
    blank.add_script_tag(path=TESTS / "modules" / "lint.js")
    assert blank.evaluate("lint", {"seeded.js": "var a = 1; a == 2;"}) != []
    assert blank.evaluate("lint", sources("js")) == []


def test_types_are_right(blank):
    """What a worklet is made of is not known to a page's types, so the one for recording is left out."""
    with zipfile.ZipFile(TESTS / "vendor" / "typescript-5.9.zip") as packed:
        blank.add_script_tag(content=packed.read("typescript.js").decode())
        libraries = {name: packed.read(name).decode() for name in packed.namelist() if name.endswith(".d.ts")}
    checked = {name: text for name, text in sources("js", "d.ts").items() if name != "capture.js"}
    seeded = {
        "seeded.js": '/** @param {import("./page.js").Page} page */\nexport const f = (page) => page.mend.nowhere;'
    }
    blank.add_script_tag(path=TESTS / "modules" / "types.js")
    told = blank.evaluate("check", {"sources": {**checked, **seeded}, "libraries": libraries})
    assert [line for line in told if not line.startswith("/seeded.js:2")] == []
    assert len(told) == 1


def test_lines_can_be_read():
    texts = [*SCRIPTS.glob("*.js"), *SCRIPTS.parent.parent.glob("templates/**/*.html")]
    long = [
        f"{path.name}:{n}"
        for path in texts
        for n, line in enumerate(path.read_text().splitlines(), 1)
        if len(line) > LONGEST
    ]
    assert long == []
