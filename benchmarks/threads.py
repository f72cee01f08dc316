"""What the threads cost, and what they do to noise, in one run.

The unit J is the JPEG encoding (quality 85) of the same 1600x1067 grey frame. Run with
``.venv/bin/python benchmarks/threads.py``; nothing here judges, it prints.
"""

from __future__ import annotations

import numpy as np
from frames import DEMO, FRAME, frame_and_unit, median, say

from oatmeal.core.colour import lightness
from oatmeal.core.picture import ArrayPicture, reduced
from oatmeal.core.pipeline import WHOLE_SIDE, Pipeline, Region, render
from oatmeal.core.pipeline.render import small_of
from oatmeal.core.recipe import REST, Recipe, from_document
from oatmeal.photofile.decode import decode

#: Opposed gains of neighbours: what multiplies noise most.
OPPOSED = {"orange": {"bright": -2.0}, "yellow": {"bright": 2.0}, "green": {"bright": -2.0}}


def led(count: int, guard: float = 60) -> Recipe:
    threads = {"orange": {"hue": -10 - count / 20}, "green": {"strength": 150}}
    threads |= {"blue": {"bright": -0.5}}
    return from_document({"prepare": {"threads": threads}, "mix": {"guard": guard}})


def speed() -> None:
    rgb, unit = frame_and_unit("painted-wagon")
    whole, half = Pipeline(rgb), Pipeline(ArrayPicture(reduced(rgb, FRAME[0] // 2), scale=0.5))
    say("drag of a thread, half size", median(lambda n: half.codes(led(n))) / unit, "J", "<= 4")
    say("drag of a thread, full", median(lambda n: whole.codes(led(n))) / unit, "J", "<= 12")


def likeness() -> None:
    picture = decode(DEMO / "painted-wagon.jpg")
    recipe = led(200)
    whole = render(picture, recipe).astype(int)
    small = small_of(picture, WHOLE_SIDE)
    part = Region(picture, (300, 200, 500, 400), recipe, small).codes(recipe)
    off = np.abs(part - whole[200:600, 300:800]).max()
    say("a region alone against the whole, farthest", float(off), "/255", "<= 1")


def noise() -> None:
    generator = np.random.default_rng(4)
    flat = np.full((400, 600, 3), (0.45, 0.3, 0.1), np.float32)
    grain = generator.normal(0, 0.012, flat.shape).astype(np.float32)
    noisy = ArrayPicture(np.clip(flat + grain, 0, 1))

    def spread(recipe: Recipe) -> float:
        grey = np.clip(Pipeline(noisy.rgb_linear).mixed(recipe), 0, 1)
        return float(lightness(grey).std())

    rest = spread(REST)
    for name, guard in (("alone", 0.0), ("from guarded colour", 100.0)):
        recipe = from_document({"prepare": {"threads": OPPOSED}, "mix": {"guard": guard}})
        say(f"opposed gains of neighbours, noise {name}", spread(recipe) / rest, "x", "")


if __name__ == "__main__":
    speed()
    likeness()
    noise()
