"""A real server and a real browser: Debian's Chromium, headless, on pages of the sample episode."""

import socket
import threading
import time

import pytest
import uvicorn
from bench.browser import chromium
from playwright.sync_api import expect, sync_playwright

from pampa.studio.settings import Settings
from pampa.studio.studio import Studio
from pampa.web.app import create_app

FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update",
         "--disable-sync", "--no-first-run", "--autoplay-policy=no-user-gesture-required",
         "--use-fake-device-for-media-stream", "--use-fake-ui-for-media-stream"]  # fmt: skip
EPISODE = 2

# A busy machine may be slow by a factor of five; what never comes fails all the same.
expect.set_options(timeout=40_000)


@pytest.fixture(scope="session")
def browser():
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=chromium(light=True), args=FLAGS)
        yield browser
        browser.close()


@pytest.fixture
def demo_server(demo_copy):
    """The address of a server over a copy of the sample, and its studio."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    studio = Studio(Settings(data=demo_copy, port=port, workers=2))
    config = uvicorn.Config(create_app(studio), port=port, log_level="error", timeout_graceful_shutdown=1)
    server = uvicorn.Server(config)
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.01)
    yield f"http://127.0.0.1:{port}", studio
    server.should_exit = True
    thread.join(10)


@pytest.fixture
def page(browser, demo_server):
    """A page that fails its test for errors in scripts and for requests that leave the machine."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, accept_downloads=True)
    page = context.new_page()
    page.set_default_timeout(60_000)
    problems = []
    page.on("pageerror", lambda error: problems.append(str(error)))
    page.on(
        "console", lambda m: problems.append(m.text) if m.type in ("error", "warning") and not expected(m) else None
    )
    page.on(
        "request", lambda r: problems.append(r.url) if "://127.0.0.1:" not in r.url and r.url[:5] != "blob:" else None
    )
    page.expected_noise = []
    yield page
    context.close()
    assert [problem for problem in problems if not any(noise in problem for noise in page.expected_noise)] == []


@pytest.fixture
def expect_noise(page):
    """Names what the browser is going to complain of, because the test makes it so."""
    return page.expected_noise.append


def expected(message):
    """The one page of the tests that is asked for and not there."""
    return message.location.get("url", "").endswith("/999/prune")


@pytest.fixture
def short_episode(demo_server):
    """The sample without all but its first minute: what renders it whole is done in a fifth of the time."""
    _, studio = demo_server
    end = studio.editing.state(EPISODE).document.length
    studio.editing.edit(EPISODE, "take_out", {"start": 60 * 48_000, "stop": end})


@pytest.fixture
def open_stage(page, demo_server):
    """Opens the sample episode at a stage."""
    base, _ = demo_server

    def go(stage="prune", on=page):
        on.goto(f"{base}/episodes/{EPISODE}/{stage}")
        on.wait_for_selector("body[data-ready]")
        return on

    return go
