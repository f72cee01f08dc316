"""Kills -9 of the server, the database or both at random: what was acknowledged is there."""

import hashlib
import os
import signal
import threading
import time
import urllib.error

import pytest
from PIL import Image
from running import Oatmeal
from samples import codes, write_png

pytestmark = pytest.mark.fuzz

ERRORS = (OSError, urllib.error.URLError)


class Work:
    """Edits, imports and exports one after another until it is told to stop or nobody answers."""

    def __init__(self, fuzz, oatmeal, series, picture, known):
        self._fuzz, self._oatmeal, self._series, self._picture = fuzz, oatmeal, series, picture
        self.known, self.wrong = known, []
        self._stop = threading.Event()
        self._threads = [threading.Thread(target=self._run, args=(one,))
                         for one in (self._edit, self._add, self._export)]  # fmt: skip
        for thread in self._threads:
            thread.start()

    def end(self):
        self._stop.set()
        for thread in self._threads:
            thread.join(90)
        assert not any(thread.is_alive() for thread in self._threads), "a request hangs"
        assert self.wrong == []

    def _run(self, act):
        while not self._stop.is_set():
            try:
                act()
            except urllib.error.HTTPError as refused:
                self._take(refused.code, refused.read().decode())
                time.sleep(0.05)
            except ERRORS:
                time.sleep(0.05)

    def _take(self, code, said):
        """A refusal is a moment's, and says that nothing was stored."""
        if code == 409 or (code == 503 and "not stored" in said):
            self._fuzz.count["refused, said so"] += 1
        else:
            self.wrong.append((code, said[:300]))

    def _edit(self):
        present = self._oatmeal.call("GET", "api/versions/1")
        stops = round(self._fuzz.count["edits acknowledged"] % 1900 / 1000, 3)
        body = {"revision": present["revision"], "recipe": {"mix": {"lifts": {"red": stops}}}}
        saved = self._oatmeal.call("PUT", "api/versions/1/recipe", body)
        self.known["edits"][saved["head"]] = saved["recipe"]["mix"]["lifts"]["red"]
        self._fuzz.count["edits acknowledged"] += 1

    def _add(self):
        count = self._fuzz.count["imports acknowledged"]
        content = self._picture + str(count).encode()
        address = f"api/series/{self._series}/photographs"
        added = self._oatmeal.call("POST", address, content, X_File_Name=f"frame{count}.png")
        self.known["imports"][added["id"]] = hashlib.sha256(content).hexdigest()
        self._fuzz.count["imports acknowledged"] += 1
        time.sleep(0.1)

    def _export(self):
        if not self.known["imports"]:
            time.sleep(0.1)
            return
        numbers = sorted(self.known["imports"])[-2:]
        form = {"photographs": numbers, "format": "png", "depth": 16}
        made = self._oatmeal.call("POST", "api/exports", form)
        self.known["exports"][made["id"]] = len(numbers)
        self._fuzz.count["batches acknowledged"] += 1
        time.sleep(0.4)


def test_kills(tmp_path, fuzz):
    home = tmp_path / "home"
    picture = write_png(tmp_path / "a.png", codes(200, 300)).read_bytes()
    known = {"edits": {}, "imports": {}, "exports": {}}
    oatmeal = Oatmeal(home)
    series = oatmeal.call("POST", "api/series", {"name": "Meet"})["id"]
    first = oatmeal.call("POST", f"api/series/{series}/photographs", picture, X_File_Name="a.png")
    known["imports"][first["id"]] = hashlib.sha256(picture).hexdigest()
    while fuzz.goes_on():
        work = Work(fuzz, oatmeal, series, picture, known)
        time.sleep(fuzz.random.uniform(0.05, 4))
        way = fuzz.random.choice(("server", "database", "both"))
        fuzz.count[f"kills of {way}"] += 1
        if way == "database":
            os.kill(int((home / "database" / "mariadb.pid").read_text()), signal.SIGKILL)
            time.sleep(fuzz.random.uniform(0.5, 3))
            work.end()
        else:
            if way == "both":
                oatmeal.kill()
            else:
                oatmeal.process.kill()
                oatmeal.process.wait()
            work.end()
            oatmeal = Oatmeal(home)
        compare(oatmeal, home, known, fuzz)
    finished(oatmeal, home, known, fuzz)
    assert oatmeal.stop() == 0


def compare(oatmeal, home, known, fuzz):
    """Everything that was acknowledged is there, and whole."""
    steps = {step["id"] for step in call(oatmeal, "api/versions/1/history?count=100000")["steps"]}
    assert set(known["edits"]) <= steps, set(known["edits"]) - steps
    last = max(known["edits"], default=None)
    if last is not None:
        recipe = call(oatmeal, f"api/versions/1/history/{last}")["recipe"]
        assert recipe["mix"]["lifts"]["red"] == known["edits"][last]
    for number, sha256 in known["imports"].items():
        path = home / "originals" / sha256[:2] / f"{sha256}.png"
        assert hashlib.sha256(path.read_bytes()).hexdigest() == sha256, number
        assert call(oatmeal, f"api/photographs/{number}/versions")["versions"]
    batches = {batch["id"]: batch for batch in call(oatmeal, "api/exports")["batches"]}
    for number, count in known["exports"].items():
        assert len(batches[number]["jobs"]) == count
    fuzz.count["comparisons"] += 1


def call(oatmeal, path):
    """What a page would do: try again while the database is being started."""
    for _ in range(40):
        try:
            return oatmeal.call("GET", path)
        except urllib.error.HTTPError as refused:
            if refused.code != 503:
                raise
            time.sleep(0.25)
    raise AssertionError("the database does not come back")


def finished(oatmeal, home, known, fuzz):
    """All batches end, and every file is whole."""
    end = time.monotonic() + 240
    while True:
        batches = call(oatmeal, "api/exports")["batches"]
        states = [job["state"] for batch in batches for job in batch["jobs"]]
        if not set(states) & {"waiting", "running"}:
            break
        assert time.monotonic() < end, "exports hang"
        time.sleep(1)
    assert set(states) <= {"done"}, states
    files = list((home / "exports").rglob("*.png"))
    for path in files:
        with Image.open(path) as image:
            image.load()
    fuzz.count["files exported whole"] += len(files)
    assert len(files) == len(states)
