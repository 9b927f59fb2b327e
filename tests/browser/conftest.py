"""A real server and a page for each browser test."""

from collections.abc import Iterator

import pytest
from browser.window import new_page
from limits import HANG
from playwright.sync_api import Browser, Page, expect
from servers import RealServer

expect.set_options(timeout=HANG * 1000)


@pytest.fixture
def server(database: str) -> Iterator[RealServer]:
    made = RealServer(database)
    made.start()
    yield made
    made.kill()


def _page(browser: Browser, server: RealServer) -> Iterator[Page]:
    made = new_page(browser, server.address)
    yield made
    assert made.strange == [], "nothing off-origin, no policy violation, no error on the console"
    made.context.close()


@pytest.fixture
def page(browser: Browser, server: RealServer) -> Iterator[Page]:
    yield from _page(browser, server)


@pytest.fixture
def other(browser: Browser, server: RealServer) -> Iterator[Page]:
    """A second window, of another visitor. (Of the same it would be a tab behind the first, drawn once a second.)"""
    yield from _page(browser, server)
