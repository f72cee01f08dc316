"""How long frames take, as ratios inside one run.

The unit J is the JPEG encoding (quality 85) of the same 1600x1067 grey frame. Run with
``.venv/bin/python benchmarks/frames.py``; nothing here judges, it prints.
"""

from __future__ import annotations

import re
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import cv2
import numpy as np

from oatmeal.core import kernels, pipeline
from oatmeal.core.mix import film
from oatmeal.core.picture import proxy, reduced
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import REST, Recipe, carry, from_document, shipped
from oatmeal.exports.convert import convert_file
from oatmeal.host.allocator import keep_frames
from oatmeal.library.store import FileStore, Original
from oatmeal.photofile.decode import Limits, decode
from oatmeal.photofile.encode import encode
from oatmeal.photofile.output import Output
from oatmeal.rendering.desk import Desk
from oatmeal.rendering.proxies import Proxies
from oatmeal.rendering.requests import Request

DEMO = Path(__file__).parents[1] / "demo"
FRAME = (1600, 1067)


def median(work: Callable[[int], object], rounds: int = 15, warm: int = 2) -> float:
    """Median seconds of one call; the call gets the number of its round."""
    times = []
    for count in range(warm + rounds):
        begun = time.perf_counter()
        work(count)
        if count >= warm:
            times.append(time.perf_counter() - begun)
    return statistics.median(times)


def in_units(work: Callable[[int], object], unit: Callable[[int], object]) -> float:
    """What one call takes of a unit; they take turns, so that a slow minute is both's."""
    times: tuple[list[float], list[float]] = ([], [])
    for count in range(33):
        for found, one in zip(times, (work, unit), strict=True):
            begun = time.perf_counter()
            one(count)
            found.append(time.perf_counter() - begun)
    own, units = (statistics.median(found[2:]) for found in times)
    return own / units


def recipe(**parts: object) -> Recipe:
    return from_document({"mix": LIFTS, "tone": SCALE} | parts)


LIFTS = {"base": {"kind": "six"}, "lifts": {"red": 0.8, "blue": -1.6}}
SCALE = {
    "contrast": 20,
    "levels": {"black": 11, "middle": 1.12, "white": 246},
    "curve": [[0, 0], [0.25, 0.2], [0.75, 0.82], [1, 1]],
}


def tone_drag(count: int) -> Recipe:
    return recipe(tone=SCALE | {"exposure": 0.01 * count})


def mix_drag(count: int, **more: float) -> Recipe:
    return recipe(mix=LIFTS | {"lifts": {"red": 0.8, "blue": -0.01 * count}} | more)


def guarded_drag(count: int) -> Recipe:
    return mix_drag(count, guard=100)


FILTERS = list(film.FILTERS)
KEPT = [carry.carried(one.recipe, REST, one.groups) for one in shipped.SHIPPED]


def tried_filter(count: int) -> Recipe:
    base = {"kind": "film", "filter": FILTERS[count % len(FILTERS)]}
    return recipe(mix=LIFTS | {"base": base, "guard": 100})


def tried_recipe(count: int) -> Recipe:
    return KEPT[count % len(KEPT)]


def wall(desk: Desk) -> None:
    """Nine recipes at 600 px, two at a time, as the wall asks for them."""
    firsts, alls = [], []
    for round_ in range(5):
        ended: list[float] = []

        def hang(tile: int, ended: list[float] = ended, round_: int = round_) -> None:
            desk.frame(Request(KEPT[tile % len(KEPT)], 600 - round_))
            ended.append(time.perf_counter())

        begun = time.perf_counter()
        with ThreadPoolExecutor(2) as hands:
            list(hands.map(hang, range(9)))
        firsts.append(min(ended) - begun)
        alls.append(max(ended) - begun)
    say("wall of nine at 600 px: the first", statistics.median(firsts), "s", "<= 0.3")
    say("wall of nine at 600 px: all", statistics.median(alls), "s", "<= 1.5")


def everything(count: int) -> Recipe:
    """A full global recipe: lifts, light, local contrast, levels, contrast and curve."""
    local = {"clarity": 38, "detail": 12, "shadows": 18, "highlights": -34, "veil": 5}
    return recipe(tone=SCALE | local | {"exposure": 0.01 * count})


def frame_and_unit(name: str) -> tuple[np.ndarray, float]:
    """A demo photograph at the size of a frame, linear, and the unit J of its grey in seconds."""
    kernels.warm()
    keep_frames()
    large = proxy(decode(DEMO / f"{name}.jpg"), 2048)
    rgb = np.ascontiguousarray(cv2.resize(large, FRAME, interpolation=cv2.INTER_AREA))
    grey = np.ascontiguousarray(Pipeline(rgb).codes(REST))
    quality = [cv2.IMWRITE_JPEG_QUALITY, 85]
    return rgb, median(lambda _: cv2.imencode(".jpg", grey, quality), 30)


def large_jpeg(folder: Path, megapixels: int = 24) -> Path:
    """A demo picture enlarged, with noise so that it encodes like a photograph."""
    path = folder / f"{megapixels}.jpg"
    source = cv2.imread(str(DEMO / "first-lift.jpg"))
    width = round((megapixels * 1.5e6) ** 0.5 / 2) * 2
    big = cv2.resize(source, (width, width * 2 // 3), interpolation=cv2.INTER_CUBIC)
    noise = np.random.default_rng(1).normal(0, 3, big.shape[:2])
    noisy = np.clip(big + noise[..., None], 0, 255).astype(np.uint8)
    cv2.imwrite(str(path), noisy, [cv2.IMWRITE_JPEG_QUALITY, 92])
    return path


def say(words: str, value: float, unit: str, target: str) -> None:
    print(f"{words:<58}{value:8.2f} {unit:<18} target {target}")


def frames(folder: Path, large: Path) -> None:
    store = FileStore(folder / "home")
    content = (DEMO / "first-lift.jpg").read_bytes()
    with store.receive([content], "a.jpg", 10**9) as received:
        store.keep(received, ".jpg")
    desk = Desk(Original(received.sha256, ".jpg", "a.jpg"), (1800, 1200), Proxies(store, Limits()))
    grey = desk.frame(Request(REST, FRAME[0])).layers[0][1]
    quality = [cv2.IMWRITE_JPEG_QUALITY, 85]

    def unit(count: int) -> None:
        cv2.imencode(".jpg", grey, quality)

    print(f"J = {median(unit) * 1000:.2f} ms for {grey.shape[1]}x{grey.shape[0]}\n")

    def drag(make: Callable[[int], Recipe]) -> float:
        return in_units(lambda count: desk.frame(Request(make(count), FRAME[0])), unit)

    say("drag in Tone, full frame with its figures", drag(tone_drag), "J", "<= 3")
    say("drag in Tone with everything on, with figures", drag(everything), "J", "<= 3")
    say("drag in Mix, full frame with its figures", drag(mix_drag), "J", "<= 3")
    say("drag in Mix with guard, with figures", drag(guarded_drag), "J", "<= 3")
    say("another filter tried each time", drag(tried_filter), "J", "<= drag in Mix + 1")
    say("another recipe tried each time", drag(tried_recipe), "J", "all stages of it + 1")
    wall(desk)
    work = Pipeline(reduced(decode(DEMO / "first-lift.jpg").linear(0, 0, 1800, 1200), FRAME[0]))
    alone = in_units(lambda count: work.codes(tone_drag(count)), unit)
    say("  of which pixels alone, Tone", alone, "J", "")
    alone = in_units(lambda count: work.codes(mix_drag(count)), unit)
    say("  of which pixels alone, Mix", alone, "J", "")

    picture = decode(large)

    def region(count: int) -> None:
        shown = (1000 + 7 * count, 900, 1300, 650)
        Pipeline(picture.linear(*shown)).codes(mix_drag(3))

    say("first frame of a 1300x650 region at 100 %", in_units(region, unit), "J", "<= 30")


def files(folder: Path, large: Path) -> None:
    decoding = median(lambda count: cv2.imread(str(large)), rounds=3, warm=1)
    opening = median(lambda count: first_frame(large), rounds=3, warm=1)
    say("\n24 MP JPEG: opening to first frame", opening / decoding, "x OpenCV's decode", "<= 2")
    codes = pipeline.render(decode(large), REST)
    quality = [cv2.IMWRITE_JPEG_QUALITY, 92]
    encoding = median(lambda count: cv2.imencode(".jpg", codes, quality), rounds=3, warm=1)
    out = folder / "out.jpg"
    export = median(lambda n: convert_file(large, everything(n), Output(), out), rounds=3, warm=1)
    both = "x (decode+encode)"
    say(
        "24 MP export, OpenCV's decode and encode as the unit",
        export / (decoding + encoding),
        both,
        "<= 5",
    )
    own = median(lambda n: encode(codes, out, Output()), rounds=3, warm=1)
    own += median(lambda n: decode(large), rounds=3, warm=1)
    say("24 MP export, our own decode and encode as the unit", export / own, both, "")


def first_frame(path: Path) -> None:
    Pipeline(proxy(decode(path), FRAME[0])).codes(mix_drag(3))


def memory(folder: Path) -> None:
    for megapixels, limit in ((24, 1.2), (100, 3.0)):
        path = large_jpeg(folder, megapixels)
        command = [sys.executable, __file__, "--export", str(path), str(folder / "m.jpg")]
        peak = float(subprocess.run(command, capture_output=True, text=True, check=True).stdout)
        say(f"peak memory of a {megapixels} MP export", peak, "GB", f"<= {limit}")


def main() -> None:
    if sys.argv[1:2] == ["--export"]:
        convert_file(Path(sys.argv[2]), everything(1), Output(), Path(sys.argv[3]))
        status = Path("/proc/self/status").read_text()
        print(int(re.findall(r"VmHWM:\s+(\d+) kB", status)[0]) / 1e6)
        return
    kernels.warm()
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch)
        large = large_jpeg(folder)
        frames(folder, large)
        files(folder, large)
        memory(folder)


if __name__ == "__main__":
    keep_frames()
    main()
