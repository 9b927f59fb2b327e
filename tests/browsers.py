"""Debian's headless Chromium for tests.

The shell, not the whole browser without its window: for each page that brought up its own address bar, a page of
its own, which took 2.4 of 5.8 processor seconds of opening a small surface.
"""

from collections.abc import Iterator
from contextlib import contextmanager

from playwright.sync_api import Browser, sync_playwright

# SwiftShader draws the picture only. Left to itself Chromium has it paint and compose the whole page, too, which
# took 3.4 times as long for opening, painting and looking (41 s against 12 s for the same walk on two cores).
FLAGS = [
    "--disable-gpu-compositing",
    "--no-sandbox",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--use-gl=angle",
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
]


# Letters where they belong, to a part of a pixel, as a browser with a window sets them: the shell rounds the width of
# each, which makes spaces between words too narrow to read.
AS_SEEN = ("--font-render-hinting=none",)


@contextmanager
def chromium(*more: str) -> Iterator[Browser]:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium-headless-shell", args=[*FLAGS, *more]
        )
        yield browser
        browser.close()
