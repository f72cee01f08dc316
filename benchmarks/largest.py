"""The largest picture that is taken in, opened, dragged, looked at closely and exported: memory.

Makes a picture of 300 megapixels (``largest.py 16`` for sixteen bits), gives it to a running
Oatmeal, and prints the peak of every process. Run with ``.venv/bin/python benchmarks/largest.py``.
"""

from __future__ import annotations

import re
import statistics
import sys
import tempfile
import threading
import time
from pathlib import Path

import pyvips
from crowd import PROJECT, Server, drag

WIDTH, HEIGHT = 20_000, 15_000


def picture(folder: Path, bits: int) -> Path:
    """A demo photograph enlarged, with noise so that it does not compress away."""
    small = pyvips.Image.new_from_file(str(PROJECT / "demo" / "first-lift.jpg"))
    large = small.resize(WIDTH / small.width, vscale=HEIGHT / small.height)
    noisy = large.linear([1.0] * 3, [0.0] * 3) + pyvips.Image.gaussnoise(
        large.width, large.height, sigma=3, mean=0
    )
    if bits == 8:
        path = folder / "large.jpg"
        noisy.cast("uchar").copy(interpretation="srgb").jpegsave(str(path), Q=88)
    else:
        path = folder / "large.tif"
        deep = (noisy.linear(256.0, 0.0)).cast("ushort").copy(interpretation="rgb16")
        deep.tiffsave(str(path), compression="deflate", level=1, bigtiff=True)
    return path


class Peaks:
    """Watches the memory of a process and of those that it began."""

    def __init__(self, process: int) -> None:
        self._first = process
        self._seen: dict[int, tuple[str, float]] = {}
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._watch)
        self._thread.start()

    def _watch(self) -> None:
        while not self._stop.wait(0.1):
            for process in self._family(self._first):
                try:
                    status = Path(f"/proc/{process}/status").read_text()
                    name = Path(f"/proc/{process}/cmdline").read_text().split("\0")
                except OSError:
                    continue
                if found := re.search(r"VmHWM:\s+(\d+) kB", status):
                    self._seen[process] = (" ".join(name)[-60:], int(found[1]) / 1e6)

    def _family(self, process: int) -> list[int]:
        found = [process]
        for task in Path(f"/proc/{process}/task").glob("*/children"):
            try:
                for child in task.read_text().split():
                    found += self._family(int(child))
            except OSError:
                continue
        return found

    def stop(self) -> float:
        self._stop.set()
        self._thread.join()
        for name, peak in self._seen.values():
            if peak > 0.3:
                print(f"  {peak:5.2f} GB  {name}")
        return max(peak for _, peak in self._seen.values())


def main() -> None:
    bits = 16 if sys.argv[1:] == ["16"] else 8
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch)
        path = picture(folder, bits)
        print(f"{WIDTH}x{HEIGHT}, {bits} bits, {path.stat().st_size / 1e6:.0f} MB")
        server = Server(folder / "home", OATMEAL_MAX_BYTES="2000000000")
        peaks = Peaks(server.process.pid)
        try:
            use(server, path, bits)
        finally:
            worst = peaks.stop()
            server.stop()
        print(f"the largest of them {worst:.2f} GB (wanted: at most 3.5)")


def use(server: Server, path: Path, bits: int) -> None:
    connection = server.connection()

    def timed(words: str, method: str, address: str, body: object = None) -> bytes:
        begun = time.perf_counter()
        answer = server.ask(connection, method, address, body)
        print(f"  {words}: {time.perf_counter() - begun:.1f} s")
        return answer

    connection.timeout = 600
    begun = time.perf_counter()
    with path.open("rb") as file:
        headers = server.headers | {"X-File-Name": path.name}
        connection.request("POST", "/api/series/1/photographs", file, headers)
        answer = connection.getresponse()
        content = answer.read().decode()
    print(f"  taken in: {time.perf_counter() - begun:.1f} s")
    if answer.status != 200:
        raise SystemExit(content)
    number = int(re.findall(r'"id": ?(\d+)', content)[0])
    wish = {"recipe": {}, "side": 1600}
    timed("first frame", "POST", f"/api/photographs/{number}/frame", wish)
    times: list[float] = []
    drag(server, number, 3, times)
    print(f"  a frame of a drag: {statistics.median(times):.3f} s")
    close = wish | {"region": [9000, 7000, 1300, 650]}
    timed("first look at 100 %", "POST", f"/api/photographs/{number}/frame", close)
    timed("the next one", "POST", f"/api/photographs/{number}/frame", close)
    listed = timed("versions", "GET", f"/api/photographs/{number}/versions").decode()
    version = int(re.findall(r'"id": ?(\d+)', listed)[0])
    tone = {"clarity": 38, "detail": 12, "shadows": 18, "exposure": 0.1, "contrast": 10}
    recipe = {"mix": {"lifts": {"blue": -1}}, "tone": tone}
    timed("saved", "PUT", f"/api/versions/{version}/recipe", {"revision": 1, "recipe": recipe})
    form = {"format": "tiff" if bits == 16 else "jpeg", "depth": bits, "sharpen": "glossy"}
    timed("finished file here", "POST", f"/api/versions/{version}/finished", form)
    begun = time.perf_counter()
    server.ask(connection, "POST", "/api/exports", form | {"photographs": [number]})
    while '"running"' in (state := server.ask(connection, "GET", "/api/exports").decode()) or (
        '"waiting"' in state
    ):
        time.sleep(0.5)
    print(f"  exported in the background: {time.perf_counter() - begun:.1f} s")
    if '"failed"' in state:
        print(state[:600])


if __name__ == "__main__":
    main()
