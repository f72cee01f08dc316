"""How long a first start takes, from a clone with nothing made to a picture; and a second one.

Run with ``python3 benchmarks/start.py`` for a clean clone with a fresh virtual environment and no
compiled loops. With ``--root FOLDER``, as root, everything happens inside another root (made by
``debootstrap --variant=minbase``), which has no MariaDB either; ``--cores N`` keeps to so many. It
prints seconds and judges nothing. The photograph's picture is asked for as its page does.
"""

from __future__ import annotations

import argparse
import http.cookiejar
import json
import os
import re
import shutil
import signal
import statistics
import subprocess
import sys
import tempfile
import threading
import time
import urllib.request
from pathlib import Path
from typing import Any

PROJECT = Path(__file__).parents[1]


class Started:
    """A start: what it says, with the seconds at which it said so."""

    def __init__(self, folder: Path, command: str, options: argparse.Namespace, home: str) -> None:
        run = ["bash", "-c", f"cd {folder} && exec {command}"]
        if options.root:
            run = ["chroot", str(options.root), *run]
        if options.cores:
            run = ["taskset", "-c", f"0-{options.cores - 1}", *run]
        environment = {
            name: value
            for name, value in os.environ.items()
            if name not in ("PYTHONDONTWRITEBYTECODE", "VIRTUAL_ENV", "XDG_CACHE_HOME")
        }
        self.begun = time.monotonic()
        self.said: list[tuple[float, str]] = []
        self.address = ""
        self.process = subprocess.Popen(
            run, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, bufsize=1,
            start_new_session=True,
            env={**environment, "HOME": home, "OATMEAL_PORT": "0", "PATH": os.environ["PATH"]},
        )  # fmt: skip
        threading.Thread(target=self._listen, daemon=True).start()

    def _listen(self) -> None:
        assert self.process.stdout is not None
        for line in self.process.stdout:
            print("   ", line.rstrip(), flush=True)
            self.said.append((self.seconds, line.rstrip()))
            found = re.search(r"http://[\w.-]+(:\S+)", line)
            if found:  # its own name below localhost is for browsers
                self.address = f"http://127.0.0.1{found[1]}"

    @property
    def seconds(self) -> float:
        return time.monotonic() - self.begun

    def answering(self) -> Browser:
        """What talks to it, once its page answers."""
        while not self.address:
            if self.process.poll() is not None:
                sys.exit("the start failed")
            time.sleep(0.02)
        return Browser(self.address)

    def stop(self) -> None:
        os.killpg(self.process.pid, signal.SIGINT)
        self.process.wait()


class Browser:
    """Cookies and the page's token."""

    def __init__(self, address: str) -> None:
        self.base = address.split("?")[0].rstrip("/")
        cookies = urllib.request.HTTPCookieProcessor(http.cookiejar.CookieJar())
        self.open = urllib.request.build_opener(urllib.request.ProxyHandler({}), cookies).open
        page = self.open(address).read().decode()
        token = re.search(r'csrf-token" content="([^"]+)"', page)
        assert token is not None
        self.token = token[1]

    def asked(self, path: str) -> dict[str, Any]:
        with self.open(self.base + path) as reply:
            found: dict[str, Any] = json.load(reply)
            return found

    def frame(self, photograph: int) -> None:
        """The first picture of a photograph on its bench, as its version has it."""
        self.asked("/api/making")
        page = self.open(f"{self.base}/bench/{photograph}").read().decode()
        start = re.search(r'id="start">(.*?)</script>', page, re.S)
        assert start is not None
        self.recipe = json.loads(start[1])["version"]["recipe"]
        self.asked_frame(photograph, self.recipe, 900, ["grey", "plain", "colour"])

    def dragged(self, photograph: int, count: int = 25) -> float:
        """Median seconds of a frame while a column of the grey map is dragged."""
        times = []
        for number in range(count):
            mix = {**self.recipe["mix"], "lifts": {"blue": -0.05 * number}}
            begun = time.monotonic()
            self.asked_frame(photograph, {**self.recipe, "mix": mix}, 450, ["grey"])
            times.append(time.monotonic() - begun)
        return statistics.median(times)

    def asked_frame(
        self, photograph: int, recipe: dict[str, Any], side: int, layers: list[str]
    ) -> None:
        wish = {
            "recipe": recipe, "side": side, "layers": layers, "framing": "framed",
            "measured": True,
        }  # fmt: skip
        request = urllib.request.Request(
            f"{self.base}/api/photographs/{photograph}/frame", json.dumps(wish).encode(),
            {"Content-Type": "application/json", "X-CSRFToken": self.token},
        )  # fmt: skip
        self.open(request).read()


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--root", type=Path, help="another root to start in")
    parser.add_argument("--cores", type=int, help="as many of this machine's cores")
    options = parser.parse_args()
    place = (options.root or Path("/")) / "tmp"
    folder = Path(tempfile.mkdtemp(prefix="oatmeal-start-", dir=place))
    clone = folder / "oatmeal"
    subprocess.run(["git", "clone", "--quiet", PROJECT, clone], check=True)
    inside = Path("/") / clone.relative_to(options.root) if options.root else clone
    home = str(inside.parent)
    try:
        print("first start of the demo")
        start = Started(inside, "bin/demo", options, home)
        browser = start.answering()
        figures = {"first start: the page answers": start.seconds}
        browser.frame(7)  # it has no recipe yet
        figures["first start: the first picture on the bench"] = start.seconds
        while "Mix" in browser.asked("/api/making")["steps"]:
            time.sleep(0.2)
        meanwhile = browser.dragged(7)
        while not browser.asked("/api/making")["ready"]:
            time.sleep(0.2)
        figures["first start: all is ready"] = start.seconds
        browser.dragged(7)
        ratio = meanwhile / browser.dragged(7)
        start.stop()
        for round_ in range(3):
            print("a later start of the demo")
            start = Started(inside, "bin/demo", options, home)
            browser = start.answering()
            figures[f"later start {round_ + 1}: the page answers"] = start.seconds
            browser.frame(7)
            figures[f"later start {round_ + 1}: the first picture"] = start.seconds
            start.stop()
        print("bin/serve with nothing in it")
        start = Started(inside, "bin/serve", options, home)
        start.answering()
        figures["bin/serve with an empty home, all compiled"] = start.seconds
        start.stop()
    finally:
        shutil.rmtree(folder, ignore_errors=True)
    for name, seconds in figures.items():
        print(f"{name:<52} {seconds:6.1f} s")
    print(f"{'a frame of a drag in Mix while it compiles, over later':<52} {ratio:6.1f} x")


if __name__ == "__main__":
    main()
