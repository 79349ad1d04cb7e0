"""The pure modules of the page, each with its own tests, run in the browser that people have."""

from pathlib import Path

import pytest

HERE = Path(__file__).parent.parent / "modules"


@pytest.mark.parametrize("file", sorted(path.name for path in HERE.glob("*.test.js")))
def test_a_module_does_what_its_tests_say(page, demo_server, file):
    page.route("**/unit/*.js", lambda route: route.fulfill(
        body=(HERE / route.request.url.rpartition("/")[2]).read_text(), content_type="text/javascript"
    ))  # fmt: skip
    page.goto(demo_server[0])
    assert page.evaluate("async (file) => (await import(`/unit/${file}`)).default", file) == []
