"""A headless Chromium, and a page of the running application that complains of every fault it sees."""

import pytest
from playwright.sync_api import Page, expect, sync_playwright

# Debian's Chromium without what draws windows: the same pages, for a fifth less of the processor.
CHROMIUM = "/usr/bin/chromium-headless-shell"
# Beside another worker's tests a page answers later.
expect.set_options(timeout=15_000)
QUIET = [
    "--disable-gpu", "--disable-quic", "--disable-background-networking", "--disable-component-update",
    "--disable-sync", "--no-pings", "--disable-extensions", "--no-first-run",
    "--autoplay-policy=no-user-gesture-required", "--host-resolver-rules=MAP * ~NOTFOUND , EXCLUDE 127.0.0.1",
]  # fmt: skip


# Every tab begins as somebody does who was never here; what it keeps then is there after a reload.
BEGIN = "if (!sessionStorage.getItem('begun')) { localStorage.clear(); sessionStorage.setItem('begun', 'yes') }"


@pytest.fixture(scope="module")
def browser():
    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(executable_path=CHROMIUM, chromium_sandbox=False, args=QUIET)
        yield chromium
        chromium.close()


@pytest.fixture(scope="module")
def context(browser, application):
    """One browser for the tests of a file: what it has fetched and compiled once it has."""
    opened = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=application.url)
    yield opened
    opened.close()


@pytest.fixture
def page(context, application):
    tab = context.new_page()
    tab.add_init_script(BEGIN)
    problems: list[str] = []
    tab.on("console", lambda message: problems.append(message.text) if message.type == "error" else None)
    tab.on("pageerror", lambda error: problems.append(str(error)))
    outside: list[str] = []
    tab.on(
        "request",
        lambda request: (
            None
            if application.url in request.url or "blob:" in request.url or request.url.startswith(("data:", "ws:"))
            else outside.append(request.url)
        ),
    )
    application.ready_to_roll()
    yield tab
    # Chromium logs every refusal of the server as an error of the page; a refusal is an answer.
    refusals = ("422 (Unprocessable", "409 (Conflict")
    assert [text for text in problems if not any(refusal in text for refusal in refusals)] == []
    assert outside == [], "nothing may be fetched from outside"
    tab.close()


def wait_until_ready(page: Page) -> None:
    expect(page.get_by_role("button", name="Roll Page Down")).to_be_enabled(timeout=40_000)
