"""How well a picture is set right, what the one resampling loses, and what it costs, in one run.

The unit J is the JPEG encoding (quality 85) of the same 1600x1067 grey frame. Run with
``.venv/bin/python benchmarks/frame.py``; nothing here judges, it prints.
"""

from __future__ import annotations

import math
import tempfile
from pathlib import Path

import cv2
import numpy as np
from frames import DEMO, FRAME, frame_and_unit, large_jpeg, median, say

from oatmeal.core import prepare
from oatmeal.core.colour import kernels as colour_kernels
from oatmeal.core.colour import lightness
from oatmeal.core.picture import ArrayPicture, framed, proxy, reduced
from oatmeal.core.pipeline import Pipeline, Region, render
from oatmeal.core.pipeline.render import small_of
from oatmeal.core.prepare import lines
from oatmeal.core.prepare.setright import SetRight, pitch, roll, yaw
from oatmeal.core.recipe import Frame, Lens, Recipe, from_document
from oatmeal.core.recipe.frame import HALF_DIAGONAL_MM
from oatmeal.core.seeing.uprights import find_level, find_uprights
from oatmeal.exports.convert import convert_file
from oatmeal.photofile.decode import decode
from oatmeal.photofile.output import Output

SIZE = (6000, 4000)
MIX = {"base": {"kind": "six"}, "lifts": {"red": 0.8, "blue": -1.6}}


def recipe(lens: dict | None = None, light: dict | None = None, **frame: object) -> Recipe:
    document = {"frame": frame, "lens": lens or {}, "light": light or {}}
    return from_document({"prepare": document, "mix": MIX, "tone": {"contrast": 20}})


def seen(world: np.ndarray, camera: np.ndarray, focal: float) -> tuple[float, float]:
    """Where a camera sees a point of the world, in shares of the picture's sides."""
    x, y, depth = camera.T @ world
    px = focal / HALF_DIAGONAL_MM * math.hypot(*SIZE) / 2
    return (x / depth * px / SIZE[0] + 0.5, y / depth * px / SIZE[1] + 0.5)


def setting_right() -> None:
    worst = 0.0
    for angle in (3.0, -3.0, 1.0, 8.0):
        rise = 0.8 * 1.5 * math.tan(math.radians(angle))
        line = ((0.1, 0.5), (0.9, 0.5 + rise))
        found = lines.level(SIZE, Frame(), Lens(), line)
        worst = max(worst, abs(found + angle))
    say("a horizon of 1 to 8 degrees, set level by a drawn line", worst, "degrees left", "<= 0.05")
    worst = 0.0
    for focal, assumed in ((24, 24), (24, 35), (50, 35), (35, 35)):
        camera = yaw(9) @ pitch(14) @ roll(2.5)
        edges = [
            tuple(seen(np.array([x, y, 4.0]), camera, focal) for y in (-0.6, 0.4))
            for x in np.linspace(-0.8, 0.9, 9)
        ]
        laid = Frame.model_construct(**Frame().model_dump() | {
            "plumb": (edges[1], edges[6]), "focal": float(assumed)})  # fmt: skip
        turning = lines.set_right(SIZE, laid, Lens())
        values = {"angle": turning.angle, "tip": turning.tip, "swing": turning.swing}
        right = SetRight(*SIZE, laid.model_copy(update=values), Lens())
        for edge in edges:
            one, other = right.canvas(np.multiply(edge, SIZE))
            lean = math.degrees(math.atan2(other[0] - one[0], other[1] - one[1]))
            worst = max(worst, abs(lean))
    say("converging uprights set right by two lines, anywhere", worst, "degrees left", "<= 0.1")


def building(angle: float, tip: float) -> np.ndarray:
    """A made-up front with windows and courses of stone, as a turned and tipped camera sees it."""
    generator = np.random.default_rng(5)
    front = np.full((1600, 2400), 0.45, np.float32)
    for top in range(0, 1600, 40):
        front[top : top + 3] = 0.3
        for left in range(int(generator.integers(0, 80)), 2400, 90):
            front[top : top + 40, left : left + 3] = 0.32
    for top in range(160, 1400, 320):
        for left in range(200, 2200, 260):
            front[top : top + 200, left : left + 120] = 0.08
    right = SetRight(2400, 1600, Frame(angle=angle, tip=tip), Lens())
    y, x = np.mgrid[0:1600, 0:2400]
    canvas = right.canvas(np.stack([x + 0.5, y + 0.5], axis=-1)) + np.array([1200, 800])
    place = canvas.astype(np.float32) - 0.5
    taken = cv2.remap(front, place[..., 0], place[..., 1], cv2.INTER_AREA, borderValue=0.6)
    noisy = taken + generator.normal(0, 0.01, taken.shape).astype(np.float32)
    return np.repeat(np.clip(noisy, 0, 1)[..., None], 3, axis=2)


def finding() -> None:
    left = []
    for angle in (3.0, -3.0, 1.0, -5.0, 8.0):
        found = find_level(building(angle, 0), (2400, 1600), Frame(), Lens())
        left.append(abs(float(found.frame.get("angle", 99)) - angle))
    say(
        "the same found: a made-up front turned by 1 to 8 degrees",
        max(left),
        "degrees left",
        "<= 0.3",
    )
    left, rolls = [], []
    for angle, tip in ((0.0, 8.0), (2.0, 12.0), (-3.0, -10.0), (1.0, 20.0)):
        found = find_uprights(building(angle, tip), (2400, 1600), Frame(), Lens())
        if found.frame:
            left.append(abs(float(found.frame["tip"]) - tip))
            rolls.append(abs(float(found.frame["angle"]) - angle))
    say(f"uprights found in {len(left)} of 4 tipped fronts, tip", max(left), "degrees left", "")
    say("    angle", max(rolls), "degrees left", "")
    fired, off = 0, []
    for path in sorted(DEMO.glob("*.jpg")):
        rgb = proxy(decode(path), 1600)
        size = (rgb.shape[1], rgb.shape[0])
        own = find_level(rgb, size, Frame(), Lens()).frame.get("angle", 0.0)
        turned = framed(ArrayPicture(rgb), prepare.Framing(Frame(angle=3.0)))
        light = turned.linear(0, 0, turned.width, turned.height)
        found = find_level(light, (turned.width, turned.height), Frame(), Lens())
        if "angle" in found.frame:
            fired += 1
            off.append(abs(float(found.frame["angle"]) - (float(own) - 3.0)))
    words = f"demo frames turned by 3 degrees: proposed in {fired} of 8, farthest off"
    say(words, max(off, default=0), "degrees", "")


def psnr(one: np.ndarray, other: np.ndarray) -> float:
    inner = np.s_[40:-40, 40:-40]
    square = float(((one[inner] - other[inner]) ** 2).mean())
    return 10 * math.log10(1 / square)


def resampling() -> None:
    side = 1200
    geometry = prepare.Framing(Frame(angle=3.0, ratio="1:1", size=90))
    laid = geometry.on(side, side)
    shares = (np.arange(laid.width) + 0.5) / laid.width
    across, down = np.meshgrid(shares, (np.arange(laid.height) + 0.5) / laid.height)
    places = laid.taken(np.stack([across, down], axis=-1)) * side
    y, x = np.mgrid[0:side, 0:side] + 0.5

    def wave(x: np.ndarray, y: np.ndarray) -> np.ndarray:
        return 0.5 + 0.25 * np.sin(2 * np.pi * x / 20) + 0.2 * np.sin(2 * np.pi * y / 20)

    def zones(x: np.ndarray, y: np.ndarray) -> np.ndarray:
        square = (x - side / 2) ** 2 + (y - side / 2) ** 2
        return 0.5 + 0.45 * np.cos(np.pi * square * 0.25 / (side / 2))

    def own(picture: np.ndarray) -> np.ndarray:
        rgb = np.repeat(picture[..., None], 3, axis=2).astype(np.float32)
        return framed(ArrayPicture(rgb), geometry).linear(0, 0, laid.width, laid.height)[..., 0]

    def cubic(picture: np.ndarray) -> np.ndarray:
        spots = (places - 0.5).astype(np.float32)
        light = picture.astype(np.float32)
        return cv2.remap(light, spots[..., 0], spots[..., 1], cv2.INTER_CUBIC)

    for name, make, wanted in (("slow waves", wave, ">= 70"), ("zone plate", zones, ">= 40")):
        truth = make(places[..., 0], places[..., 1])
        # what is encoded is resampled: light is its square
        say(
            f"{name} against truth, 3 degrees",
            psnr(np.sqrt(np.maximum(own(make(x, y) ** 2), 0)), truth),
            "dB",
            wanted,
        )
        say("    OpenCV's cubic", psnr(cubic(make(x, y)), truth), "dB", "")
    edge = np.where(x < side / 2, 0.02, 0.7)
    for name, found in (("an edge", own(edge)), ("    OpenCV's cubic", cubic(edge))):
        inner = np.clip(found[40:-40, 40:-40], 0, None)
        under = float(lightness(np.array(0.02)) - lightness(inner.min()))
        over = float(lightness(np.minimum(inner.max(), 1.5)) - lightness(np.array(0.7)))
        say(f"{name}, undershoot", under, "L*", "<= 3")
        say("    overshoot", over, "L*", "<= 0.5")


def speed() -> None:
    rgb, unit = frame_and_unit("first-lift")
    whole, half = ArrayPicture(rgb), ArrayPicture(reduced(rgb, FRAME[0] // 2))

    def made(picture: ArrayPicture, settings: Recipe) -> object:
        view = framed(picture, prepare.geometry(settings))
        return view.linear(0, 0, view.width, view.height)

    def drawn(settings: Recipe) -> object:
        view = framed(half, prepare.geometry(settings))
        light = view.linear(0, 0, view.width, view.height)
        pipeline = Pipeline(ArrayPicture(np.ascontiguousarray(light), scale=0.5))
        pipeline.codes(settings)
        return colour_kernels.display(pipeline.prepared(settings))

    tipped = median(lambda count: made(whole, recipe(angle=3 + count / 99, tip=8.0))) / unit
    say("the resampling alone, full frame, 3 degrees and tipped by 8", tipped, "J", "")
    lens = {"bend": -3.0, "red": 0.1, "falloff": 1.0}
    apart = median(lambda count: made(whole, recipe(lens, angle=3 + count / 99))) / unit
    say("    with fringes, bend and falloff", apart, "J", "")
    cut = median(lambda count: drawn(recipe(size=90 - count / 9))) / unit
    say("a new crop, half size, grey and colour (once, when let go)", cut, "J", "<= 6")
    turned = median(lambda count: drawn(recipe(angle=3 + count / 99))) / unit
    say("a new angle, half size, grey and colour (once, when let go)", turned, "J", "<= 6")
    bent = median(lambda count: made(half, recipe({"bend": -3 - count / 99}))) / unit
    say("a drag of the lens's bend, half size, colour alone", bent, "J", "<= 6")
    light = {"warmth": 60.0, "tint": -10.0, "exposure": 0.3, "shadows": 30.0, "highlights": -30.0}
    lens = {"bend": -3.0, "red": 0.05, "blue": -0.04, "falloff": 0.8}
    everything = recipe(lens, light, angle=2.0, tip=9.0, swing=3.0, size=95)
    with tempfile.TemporaryDirectory() as folder:
        source = large_jpeg(Path(folder))
        out = Path(folder) / "out.jpg"

        def export(settings: Recipe) -> float:
            return median(lambda _: convert_file(source, settings, Output(), out), 1, 0)

        export(everything)
        tipped = recipe(angle=2.0, tip=9.0, swing=3.0)
        # one beside the other, since the machine is shared
        rounds = [(export(recipe()), export(everything), export(tipped)) for _ in range(7)]
        none, whole_, alone = (np.array(times) for times in zip(*rounds, strict=True))
        over, framed_alone = float(np.median(whole_ / none)), float(np.median(alone / none))
        say("24 MP export with everything set over none", over, "x", "<= 2")
        say("    with the frame alone", framed_alone, "x", "")
    file = decode(DEMO / "bunting.jpg")
    full = render(file, everything).astype(int)
    view = framed(file, prepare.geometry(everything))
    part = Region(view, (300, 200, 500, 400), everything, small_of(view, 1600)).codes(everything)
    off = np.abs(part - full[200:600, 300:800]).max()
    say("a region alone against the whole, farthest", float(off), "/255", "<= 1")
    copy = ArrayPicture(proxy(file, 900))
    small = framed(copy, prepare.geometry(everything), (file.width, file.height))
    coarse = Pipeline(
        ArrayPicture(small.linear(0, 0, small.width, small.height), scale=0.5, layout=small.layout)
    )
    fine = render(file, everything, long_side=max(small.width, small.height)).astype(int)
    say(
        "a proxy against the reduced export, mean",
        float(np.abs(coarse.codes(everything) - fine).mean()),
        "/255",
        "<= 2",
    )


if __name__ == "__main__":
    setting_right()
    finding()
    resampling()
    speed()
