"""Clarity beside plain unsharp masking, and what the local part of Tone costs, in one run.

The unit J is the JPEG encoding (quality 85) of the same 1600x1067 grey frame. Run with
``.venv/bin/python benchmarks/tone.py``; nothing here judges, it prints.
"""

from __future__ import annotations

import cv2
import numpy as np
import pyvips
from frames import DEMO, FRAME, median, say

from oatmeal.core import bands as bands_of
from oatmeal.core import kernels
from oatmeal.core.colour import kernels as colour_kernels
from oatmeal.core.colour import lightness
from oatmeal.core.picture import Window, reduced
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import REST, Tone, from_document
from oatmeal.core.tone import local
from oatmeal.host.allocator import keep_frames
from oatmeal.photofile.decode import decode

HEIGHT, WIDTH = 500, 1600
Y, X = np.mgrid[0:HEIGHT, 0:WIDTH]
TEXTURE = 0.15 * np.sin(2 * np.pi * X / 50) * np.sin(2 * np.pi * Y / 50)


def clarity(stops: np.ndarray) -> np.ndarray:
    grey = np.exp2(stops).astype(np.float32)
    settings = Tone(clarity=60.0)
    small, window = bands_of.small_light(grey), Window(0, 0, WIDTH, HEIGHT)
    wide = bands_of.spread(bands_of.find_bands(small, "soft"), window, grey.shape)
    return np.log2(local.apply(grey, settings, bands_of.find_ends(small), wide, None, window))


def unsharp(stops: np.ndarray) -> np.ndarray:
    """The same texture gain by plain unsharp masking of 30 px."""
    return stops + 0.6 * (stops - cv2.GaussianBlur(stops, (0, 0), 30))


def halos() -> None:
    print("texture gain, fine noise, and overshoot in L* beside a step, clean and textured")
    noise = 0.08 * np.random.default_rng(5).normal(0, 1, (HEIGHT, WIDTH))
    inside = (slice(50, -50), slice(100, -100))
    for name, method in (("clarity 60", clarity), ("unsharp masking", unsharp)):
        texture = method(-2.3 + TEXTURE)[inside].std() / TEXTURE[inside].std()
        fine = method(-2.3 + noise)[inside].std() / noise[inside].std()
        words = f"  {name:16} texture x{texture:.2f}, noise x{fine:.2f}, overshoot"
        for height in (1.0, 2.0, 3.5):
            step = np.where(X < WIDTH // 2, -1 - height, -1.0)
            over = []
            for drawn in (step, step + TEXTURE * (X < WIDTH // 2)):
                before, after = lightness(np.exp2(drawn)), lightness(np.exp2(method(drawn)))
                over.append(np.abs(after - before)[:, WIDTH // 2 : -100].max())
            words += f"  {height:g} stops {over[0]:.1f} / {over[1]:.1f}"
        print(words)


def costs() -> None:
    picture = decode(DEMO / "first-lift.jpg")
    rgb = reduced(picture.linear(0, 0, picture.width, picture.height), FRAME[0])
    work = Pipeline(rgb)
    grey = work.codes(REST)
    unit = median(lambda n: cv2.imencode(".jpg", grey, [cv2.IMWRITE_JPEG_QUALITY, 85]))
    print(f"\nJ = {unit * 1000:.2f} ms for {grey.shape[1]}x{grey.shape[0]}")

    def drag(key: str, **more: object) -> float:
        def one(count: int) -> None:
            work.codes(from_document({"tone": {key: 20 + 0.5 * count} | more}))

        return median(one) / unit

    say("drag of clarity, pixels alone", drag("clarity"), "J", "<= 3")
    say("drag of shadows with clarity on", drag("shadows", clarity=40), "J", "<= 3")
    say("drag of contrast with clarity on", drag("contrast", clarity=40), "J", "<= 3")
    say("drag of detail with clarity on", drag("detail", clarity=40), "J", "<= 3")

    def mix(count: int) -> None:
        lifts = {"blue": -0.01 * count, "red": 0.5}
        work.codes(from_document({"mix": {"lifts": lifts, "guard": 100}, "tone": {"clarity": 40}}))

    say("drag in Mix with guard and clarity on", median(mix) / unit, "J", "<= 8")

    def recipe(count: int) -> None:
        base = {"kind": "channels", "red": 30.0 + 0.01 * count, "hold_total": False}
        tone = {"levels": {"black": 11, "white": 246}, "curve": CURVE, "clarity": 40}
        work.codes(from_document({"mix": {"base": base}, "tone": tone}))

    codes = np.ascontiguousarray(colour_kernels.display(rgb)[..., ::-1])
    matrix = np.array([[0.11, 0.59, 0.30]], np.float32)
    table = np.arange(256, dtype=np.uint8)

    def chained(count: int) -> None:
        weighed = cv2.LUT(cv2.transform(codes, matrix), table)
        cv2.addWeighted(weighed, 1.6, cv2.GaussianBlur(weighed, (0, 0), 30), -0.6, 0)

    def through_vips(count: int) -> None:
        image = pyvips.Image.new_from_array(codes).recomb(matrix.tolist()).cast("uchar")
        weighed = image.maplut(pyvips.Image.new_from_array(table[None]))
        (weighed * 1.6 - weighed.gaussblur(30) * 0.6).cast("uchar").write_to_memory()

    ours = median(recipe)
    for name, chain in (("OpenCV", chained), ("libvips", through_vips)):
        words = f"channels, levels, curve, clarity against chained {name}"
        say(words, ours / median(chain), "x", "<= 1")


CURVE = [[0, 0], [0.25, 0.2], [0.75, 0.82], [1, 1]]

if __name__ == "__main__":
    keep_frames()
    kernels.warm()
    halos()
    costs()
