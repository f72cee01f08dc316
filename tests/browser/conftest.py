"""The real interface in headless Chromium, on a server of its own."""

from __future__ import annotations

import base64
import socket
import threading
import time
from collections.abc import Callable
from inspect import signature
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Locator, Page, expect

from oatmeal.core.recipe import Recipe
from oatmeal.library import series, versions
from oatmeal.library.store import FileStore
from oatmeal.run.listening import server_for
from oatmeal.settings import Settings
from oatmeal.web import create_app

ARGUMENTS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
]  # fmt: skip

#: A first frame may wait until its loops are compiled, with other tests beside it.
FIRST_MS = 120_000

#: As long as the driver waits for anything else: on a busy machine a row of pictures takes seconds.
PATIENCE_MS = 30_000
expect.set_options(timeout=PATIENCE_MS)


@pytest.fixture(scope="session")
def browser_type_launch_args():
    return {"executable_path": "/usr/bin/chromium-headless-shell", "args": ARGUMENTS}


@pytest.fixture(scope="session")
def browser_context_args():
    return {"viewport": {"width": 1280, "height": 800}, "accept_downloads": True}


@pytest.fixture(scope="session")
def server(migrated, tmp_path_factory):
    """A running application, one for the whole run: its address and its services."""
    home = tmp_path_factory.mktemp("home")
    return serve(migrated, Settings(home, access="machine"))


def serve(database, settings):
    """The application as it is served: its address and its services."""
    app = create_app(database, FileStore(settings.home), settings)
    listener = socket.create_server(("127.0.0.1", 0))
    threading.Thread(target=server_for(app, settings, listener).run, daemon=True).start()
    address = f"http://127.0.0.1:{listener.getsockname()[1]}"
    return address, app.extensions["oatmeal"]


@pytest.fixture
def live(server, database):
    """Address of the running application, with nothing in it."""
    address, services = server
    services.workbench.forget()  # numbers begin anew
    return address


@pytest.fixture(autouse=True)
def quiet(page: Page):
    """Fail a test whose page complains; ``quiet.expected`` lists parts of what it may say."""
    complaints: list[str] = []
    page.on(
        "console",
        lambda line: complaints.append(line.text) if line.type in ("error", "warning") else None,
    )
    page.on("pageerror", lambda error: complaints.append(str(error)))

    class Quiet:
        expected: tuple[str, ...] = ()
        always = ("willReadFrequently",)  # the tests themselves read canvases back

        @classmethod
        def check(cls):
            may = cls.always + cls.expected
            left = [text for text in complaints if not any(part in text for part in may)]
            complaints.clear()
            cls.expected = ()
            assert left == []

    yield Quiet
    Quiet.check()


class Desk:
    """What a photographer does at the bench, and what the test reads off it."""

    def __init__(self, page: Page, live: str, importer, database) -> None:
        self.page, self.live, self.importer, self.database = page, live, importer, database

    def drop(self, *files: tuple[str, bytes], on: str = "main") -> None:
        """Drop files on the page as a file manager would."""
        self.page.evaluate(
            """([files, on]) => {
                const transfer = new DataTransfer();
                for (const [name, data] of files) {
                    const bytes = Uint8Array.from(atob(data), (letter) => letter.charCodeAt(0));
                    transfer.items.add(new File([bytes], name));
                }
                const target = document.querySelector(on);
                for (const kind of ["dragenter", "dragover", "drop"]) {
                    const more = { dataTransfer: transfer, bubbles: true, cancelable: true };
                    target.dispatchEvent(new DragEvent(kind, more));
                }
            }""",
            [[(name, base64.b64encode(data).decode()) for name, data in files], on],
        )

    def begin(self, *paths: Path) -> None:
        """Open the bench on the first of these photographs, in a series of their own."""
        with self.database.session() as session:
            number = series.create(session, "Meet").id
        added = [
            self.importer.add(number, path.name, [path.read_bytes()]).photograph for path in paths
        ]
        self.page.goto(f"{self.live}/bench/{added[0].id}")
        self.wait()

    def until(self, met: Callable[[], object]) -> None:
        """Wait until something that the test reads off the page or the database is so."""
        end = time.monotonic() + PATIENCE_MS / 1000
        while not met():
            assert time.monotonic() < end, "it did not come about"
            self.page.wait_for_timeout(20)

    def wait(self) -> None:
        """Wait until the picture is there, final, and everything is saved."""
        self.page.wait_for_function(
            """() => {
                const bench = document.querySelector(".bench");
                const state = bench && bench._x_dataStack && bench._x_dataStack[0];
                return state && state.frame.ready && !state.frame.waiting && !state.compare.asking
                    && ["", "saved"].includes(state.work.saver.words);
            }""",
            timeout=FIRST_MS,
            polling=40,
        )

    def settled(self) -> None:
        """Let a change begin, then wait as above."""
        self.page.wait_for_timeout(50)
        self.wait()

    def afresh(self, key: str) -> None:
        """A recipe at rest and nothing open, in the step of a key."""
        self.page.mouse.up()  # of a part that failed in the middle of a drag
        self.page.mouse.move(0, 0)
        if self.page.locator("dialog[open]").count():
            self.page.keyboard.press("Escape")
        self.page.evaluate(
            """() => {
                const bench = document.querySelector(".bench")._x_dataStack[0];
                const { compare, drawer, pins, sight, spots, wall, work } = bench;
                if (wall.open) wall.leave();
                if (drawer.shown) drawer.close();
                document.querySelector(".toasts")._x_dataStack[0].lines = [];
                pins.pins = [];
                pins.savePins();
                if (compare.comparing) compare.leaveCompare();
                if (sight.zoom !== "fit") sight.zoomTo("fit");
                spots.mode = "";
                work.replace(JSON.parse(JSON.stringify(work.rest)));
                work.settle();
                document.querySelector("main").focus();
            }"""
        )
        self.page.keyboard.press(key)
        self.settled()

    def choose(self, name: str, option: str) -> None:
        """Take one of a list whose choices are tried while they are rested on."""
        self.page.get_by_role("combobox", name=name, exact=True).click()
        self.page.get_by_role("option", name=option, exact=True).click()
        self.page.mouse.move(0, 0)
        self.settled()

    def recipe(self, version: int = 1) -> Recipe:
        """The recipe that the database holds."""
        with self.database.session() as session:
            return versions.recipe_of(versions.get(session, version))

    def canvas(self, ref: str = "coarse") -> dict:
        """Green channel of a canvas ``(H, W)``, and where it lies on the page."""
        return self.greens(self.page.locator(f"canvas[x-ref={ref}]"))

    def greens(self, canvas: Locator) -> dict:
        """The same of any canvas."""
        found = canvas.evaluate(
            """async (canvas) => {
                const { width, height } = canvas;
                const data = canvas.getContext("2d").getImageData(0, 0, width, height).data;
                const greens = new Uint8Array(width * height);
                for (let at = 0; at < greens.length; at += 1) greens[at] = data[4 * at + 1];
                const green = await new Promise((told) => {
                    const reader = new FileReader();  // its letters come quicker than btoa's
                    reader.onload = () => told(reader.result.split(",")[1]);
                    reader.readAsDataURL(new Blob([greens]));
                });
                const box = canvas.getBoundingClientRect();
                return { width, height, green, hidden: canvas.hidden,
                         box: [box.x, box.y, box.width, box.height] };
            }"""
        )
        flat = np.frombuffer(base64.b64decode(found["green"]), np.uint8)
        found["green"] = flat.reshape(found["height"], found["width"]).astype(int)
        return found

    def pixel(self, x: float, y: float) -> list[int]:
        """Colour of the whole frame at a place given in shares of its sides."""
        return self.page.evaluate(
            """([x, y]) => {
                const canvas = document.querySelector("canvas[x-ref=coarse]");
                const at = [Math.floor(x * canvas.width), Math.floor(y * canvas.height)];
                const { data } = canvas.getContext("2d").getImageData(...at, 1, 1);
                return Array.from(data).slice(0, 3);
            }""",
            [x, y],
        )

    def at(self, x: float, y: float) -> tuple[float, float]:
        """A place of the picture, given in shares of its sides, on the page."""
        left, top, width, height = self.page.evaluate(
            """() => {
                const box = document.querySelector("canvas[x-ref=coarse]").getBoundingClientRect();
                return [box.x, box.y, box.width, box.height];
            }"""
        )
        return left + x * width, top + y * height

    def drag(self, locator, dx: float, dy: float, position=None) -> None:
        """Press on the middle of something (or a position in it) and drag it."""
        locator.wait_for()  # a panel that was just opened has no place before it is drawn
        box = locator.bounding_box()
        x = box["x"] + (position[0] if position else box["width"] / 2)
        y = box["y"] + (position[1] if position else box["height"] / 2)
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + dx / 2, y + dy / 2, steps=2)
        self.page.mouse.move(x + dx, y + dy, steps=2)
        self.page.mouse.up()
        self.settled()


@pytest.fixture
def desk(page, live, server, database):
    return Desk(page, live, server[1].importer, database)


@pytest.fixture
def desk_with(page, database):
    """A desk on a server of its own, with other settings."""

    def made(settings):
        address, services = serve(database, settings)
        page.goto(address)
        return Desk(page, address, services.importer, database)

    return made


@pytest.fixture
def sitting(desk, request, subtests, quiet):
    """Run the parts of a sitting on the page that the first of them opens."""

    def run(whole):
        chosen = request.config.getoption("part")
        parts = [part for part in whole.parts if chosen in part.__name__]
        if not parts:
            pytest.skip(f"no part has {chosen} in its name")
        for number, part in enumerate(parts):
            with subtests.test(part.__name__):
                if number:
                    desk.afresh(whole.key)
                wanted = signature(part).parameters
                try:
                    part(**{name: request.getfixturevalue(name) for name in wanted})
                finally:  # what the page complained of is not the next part's
                    quiet.check()

    return run
