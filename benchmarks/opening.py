"""Opening large photographs in the browser: from the click to the first full frame, in one run.

Starts Oatmeal in a folder of its own, takes in frames of 24 MP, opens several from the sheet in
headless Chromium, each with two neighbours, which are made ready meanwhile. The unit is OpenCV's
decoding of such a file at that time, as a shared machine swings within seconds. Run with
``.venv/bin/python benchmarks/opening.py``; nothing here judges, it prints.
"""

from __future__ import annotations

import json
import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import cv2
from crowd import Server
from frames import large_jpeg, median, say
from playwright.sync_api import Locator, Page, sync_playwright

COUNT = 36

#: Opened from the sheet, each far enough from what was made ready as a neighbour.
OPENED = tuple(range(0, COUNT, 4))

#: A sheet or a photograph is looked at for as long before the next one is opened.
LOOKED_AT_MS = 3000

#: The bench shows a photograph whole, and asks for nothing any more.
COMPLETE = """(id) => {
    const bench = location.pathname.endsWith(`/bench/${id}`) && document.querySelector(".bench");
    const state = bench && bench._x_dataStack && bench._x_dataStack[0];
    return state && state.frame.ready && !state.frame.waiting;
}"""


def taken_in(server: Server, folder: Path) -> tuple[int, list[int]]:
    """A series of large frames, each another file: its number and theirs."""
    connection = server.connection()
    series = json.loads(server.ask(connection, "POST", "/api/series", {"name": "Large"}))["id"]
    content, ids = large_jpeg(folder).read_bytes(), []
    for number in range(COUNT):
        headers = server.headers | {"X-File-Name": f"large-{number}.jpg"}
        body = content + bytes([number])  # what follows the picture makes it another file
        connection.request("POST", f"/api/series/{series}/photographs", body, headers)
        ids.append(json.loads(connection.getresponse().read())["id"])
    return series, ids


def seconds(page: Page, photograph: int, begin: Callable[[], object]) -> float:
    """From an action until a photograph is shown whole."""
    begun = time.perf_counter()
    begin()
    page.wait_for_function(COMPLETE, arg=photograph, timeout=120_000, polling="raf")
    return time.perf_counter() - begun


def pressing(page: Page, card: Locator) -> Callable[[], None]:
    """A click on a card that the pointer lies on already."""
    card.scroll_into_view_if_needed()
    box = card.bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)

    def press() -> None:
        page.mouse.down()
        page.mouse.up()

    return press


def decoding(file: Path) -> float:
    """Seconds of OpenCV's decode of a file now, with nothing beside it."""
    return median(lambda _: cv2.imread(str(file)), rounds=3)


def main() -> None:
    with tempfile.TemporaryDirectory() as scratch, sync_playwright() as started:
        folder = Path(scratch)
        server = Server(folder / "home")
        try:
            series, ids = taken_in(server, folder)
            browser = started.chromium.launch(executable_path="/usr/bin/chromium-headless-shell")
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            page.goto(server.address)
            opened, walked, decoded = [], [], []
            for place in OPENED:
                page.goto(f"{server.address.split('?')[0]}series/{series}")
                page.wait_for_timeout(LOOKED_AT_MS)
                press = pressing(page, page.locator(".card .cover").nth(place))
                decoded.append(unit := decoding(folder / "24.jpg"))
                opened.append(seconds(page, ids[place], press) / unit)
                for further in (1, 2):
                    page.wait_for_timeout(LOOKED_AT_MS)
                    following = ids[place + further]
                    taken = seconds(page, following, lambda: page.keyboard.press("."))
                    walked.append(taken / unit)
            browser.close()
        finally:
            server.stop()
    first, *others = opened
    for words, ratio, wanted in (
        ("the first frame of a server that just started", first, ""),
        ("from the sheet to the first full frame, 24 MP", statistics.median(others), "<= 2"),
        ("on to the neighbour, which is ready", statistics.median(walked), "<= 2"),
    ):
        say(words, ratio, "x OpenCV's decode", wanted)
    spread = [" ".join(f"{ratio:.2f}" for ratio in ratios) for ratios in (opened, walked)]
    print(f"OpenCV's decode {statistics.median(decoded) * 1000:.0f} ms; opened", *spread, sep="\n")


if __name__ == "__main__":
    main()
