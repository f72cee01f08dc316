"""What the light of the colour picture costs, and how well it is found, in one run.

The unit J is the JPEG encoding (quality 85) of the same 1600x1067 grey frame. Run with
``.venv/bin/python benchmarks/light.py``; nothing here judges, it prints.
"""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
from frames import DEMO, FRAME, frame_and_unit, large_jpeg, median, say

from oatmeal.core import colour
from oatmeal.core.colour import decode_srgb, encode_srgb
from oatmeal.core.colour import kernels as colour_kernels
from oatmeal.core.picture import ArrayPicture, proxy, reduced
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.prepare import white
from oatmeal.core.recipe import REST, Recipe, from_document
from oatmeal.core.seeing.begin import begin, find_light
from oatmeal.exports.convert import convert_file
from oatmeal.photofile.decode import decode
from oatmeal.photofile.output import Output

CASTS = ((40, 0), (-40, 0), (90, 0), (140, 0), (200, 0), (0, 30), (0, -30), (40, 20), (-40, -20),
         (90, -20), (20, 10), (-60, 10))  # fmt: skip
MIX = {"base": {"kind": "six"}, "lifts": {"red": 0.8, "blue": -1.6}}


def lit(**light: float) -> Recipe:
    return from_document({"prepare": {"light": light}, "mix": MIX, "tone": {"contrast": 20}})


def angle(one: np.ndarray, other: np.ndarray) -> float:
    both = one @ other / np.linalg.norm(one) / np.linalg.norm(other)
    return float(np.degrees(np.arccos(np.clip(both, -1, 1))))


def mean_tone(rgb: np.ndarray) -> float:
    seen = np.clip(np.asarray(rgb, np.float64) @ colour.LUMINANCE_WEIGHTS, 0, 1)
    return float(colour.lightness(seen).mean())


def speed() -> None:
    rgb, unit = frame_and_unit("first-lift")
    half = reduced(rgb, FRAME[0] // 2)
    small = Pipeline(ArrayPicture(half, scale=0.5))

    def drag(count: int, shadows: float = 0.0) -> object:
        recipe = lit(warmth=float(count), tint=5.0, shadows=shadows)
        small.codes(recipe)
        return colour_kernels.display(small.prepared(recipe))

    say("drag of the light, half size, grey and colour", median(drag) / unit, "J", "<= 6")
    ends = median(lambda count: drag(count, 20.0)) / unit
    say("    the same with shadows", ends, "J", "<= 6")
    whole = Pipeline(rgb)
    alone = median(lambda count: whole.prepared(lit(warmth=float(count)))) / unit
    say("the light taken out, full frame", alone, "J", "")
    ends = median(lambda count: whole.prepared(lit(shadows=20.0 + count))) / unit
    say("highlights and shadows, full frame", ends, "J", "")
    with tempfile.TemporaryDirectory() as folder:
        source = large_jpeg(Path(folder))
        out = Path(folder) / "out.jpg"

        def export(recipe: Recipe) -> float:
            return median(lambda _: convert_file(source, recipe, Output(), out), 3, 1)

        everything = export(
            lit(warmth=60.0, tint=-10.0, exposure=0.3, shadows=30.0, highlights=-30.0)
        )
        say("24 MP export with the light over without", everything / export(lit()), "x", "<= 2")


def finding() -> None:
    frames = {path.stem: proxy(decode(path), 600) for path in sorted(DEMO.glob("*.jpg"))}
    before, after = [], []
    for rgb in frames.values():
        for cast in CASTS:
            matrix = np.linalg.inv(white.adaptation(*cast))
            found = find_light(np.clip(rgb @ matrix.T, 0, 1).astype(np.float32)).light
            if found is not None:
                grey = matrix @ np.ones(3)
                before.append(angle(grey, np.ones(3)))
                after.append(angle(grey, np.linalg.inv(white.adaptation(*found)) @ np.ones(3)))
    worse = np.mean(np.array(after) > np.array(before) + 2)
    say("Find proposes, of all casts", 100 * len(after) / (len(frames) * len(CASTS)), "%", "")
    say("median error before", float(np.median(before)), "degrees", "")
    say("median error after", float(np.median(after)), "degrees", "half of it")
    say("worse by more than 2 degrees", 100 * float(worse), "%", "<= 10")
    for stops in (-1.2, 0.0, 1.0):
        off, left = [], []
        for rgb in frames.values():
            taken = np.rint(encode_srgb(np.clip(rgb * 2.0**stops, 0, 1)) * 255) / 255
            shown = decode_srgb(taken).astype(np.float32)
            light = begin(shown, REST).light
            fixed = Pipeline(shown).prepared(
                from_document({"prepare": {"light": light.model_dump()}})
            )
            off.append(abs(mean_tone(shown) - mean_tone(rgb)))
            left.append(abs(mean_tone(fixed) - mean_tone(rgb)))
        say(
            f"Begin, taken {stops:+g} stops off: L* from as made, before",
            float(np.mean(off)),
            "L*",
            "",
        )
        say("    after", float(np.mean(left)), "L*", "")


if __name__ == "__main__":
    speed()
    finding()
