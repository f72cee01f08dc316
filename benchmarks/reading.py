"""How well recipes are read from prints: Oatmeal's own, and made-up foreign ones.

Run with ``.venv/bin/python benchmarks/reading.py [own|foreign|look|cost] [number]``; nothing here
judges, it prints. Errors are root mean squares in L*; on other frames only where the ranges that
the first frame lacked are not seen.
"""

from __future__ import annotations

import sys
import time

import cv2
import numpy as np
from frames import DEMO

from oatmeal.core.colour import decode_srgb, encode_srgb, lightness, ranges
from oatmeal.core.picture import reduced
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.reading import Pair, ReadingError, look_of, matched, read
from oatmeal.core.recipe import REST, Recipe, from_document

NAMES = ("first-lift", "painted-wagon", "mugs-on-the-stall", "puppet-pilots", "bunting")
SIX = {"red": 30, "yellow": 89, "green": 59, "cyan": 70, "blue": 11, "magenta": 41}
FILMS = ("panchromatic", "orthochromatic", "long-red")
GLASS = ("none", "yellow", "orange", "red", "green", "blue")


def picture(name: str, side: int = 1200) -> np.ndarray:
    codes = cv2.imread(str(DEMO / f"{name}.jpg"))[..., ::-1]
    return reduced(decode_srgb(codes / 255).astype(np.float32), side)


def tones(encoded: np.ndarray) -> np.ndarray:
    return np.asarray(lightness(decode_srgb(np.clip(encoded, 0, 1))))


def bases(chance: np.random.Generator) -> list[dict]:
    red, green = chance.uniform(0, 70), chance.uniform(10, 60)
    shares = {"red": red, "green": green, "blue": 100 - red - green}
    six = {n: float(v + chance.uniform(-25, 25)) for n, v in
           SIX.items()}  # fmt: skip
    return [
        {
            "kind": "plain",
            "weighing": str(
                chance.choice(["luminance", "average", "lightest", "darkest", "middle", "luma-709"])
            ),
        },
        {"kind": "channels", **shares},
        {"kind": "channels", **shares, "light": "linear"},
        {"kind": "six", **six},
        {"kind": "film", "film": str(chance.choice(FILMS)), "filter": str(chance.choice(GLASS))},
    ]


def random_recipe(number: int) -> Recipe:
    """Every base in turn; some lifts, points, contrast or a curve, in half of them local work."""
    chance = np.random.default_rng(number)
    mix = {"base": bases(chance)[number % 5]}
    names = chance.choice(ranges.NAMES, 3, replace=False)
    mix["lifts"] = {str(name): round(float(chance.uniform(-1.5, 1.5)), 2) for name in names}
    tone: dict = {
        "levels": {
            "black": float(chance.uniform(0, 20)),
            "middle": float(chance.uniform(0.8, 1.25)),
            "white": float(chance.uniform(232, 255)),
        }
    }
    tone["contrast"] = float(chance.uniform(-15, 35))
    if number % 3 == 1:
        low = chance.uniform(0.15, 0.3)
        tone["curve"] = [
            [0, 0],
            [0.25, float(low)],
            [0.75, float(chance.uniform(0.7, 0.85))],
            [1, 1],
        ]
    if (number // 5) % 2:
        tone |= {
            "clarity": float(chance.uniform(10, 60)),
            "shadows": float(chance.uniform(-25, 25)),
        }
    return from_document({"mix": mix, "tone": tone})


def unseen(rgb: np.ndarray) -> set[str]:
    colours = Pipeline(rgb).analysis(REST)
    weights = ranges.weights(colours.hue * (360 / ranges.HUE_TABLE_SIZE), ranges.CENTRES)
    weights *= ranges.colourfulness(colours.chroma, 50)[..., None]
    return {
        n
        for n, s in zip(ranges.NAMES, weights.reshape(-1, 8).mean(axis=0), strict=True)
        if s < 0.002
    }


def error(one: np.ndarray, other: np.ndarray) -> float:
    return float(np.sqrt(np.mean((tones(one) - tones(other)) ** 2)))


def own() -> None:
    count = int(sys.argv[2]) if len(sys.argv) > 2 else 30
    frames = {name: Pipeline(picture(name)) for name in NAMES}
    same, others, by = [], [], {}
    for number in range(count):
        recipe = random_recipe(number)
        name = NAMES[number % len(NAMES) - (number // 5) % len(NAMES)]
        target = frames[name].codes(recipe, np.uint8) / np.float32(255)
        try:
            found = read([Pair(frames[name].source, target)])
        except ReadingError as problem:
            print(f"{number:2d} {name}: {problem}")
            continue
        here = error(frames[name].encoded(found.recipe), target)
        lacking = set(found.unsure)
        there = [
            error(one.encoded(found.recipe), one.encoded(recipe))
            for other, one in frames.items()
            if other != name and not (lacking & (set(ranges.NAMES) - unseen(one.source)))
        ]
        same.append(here)
        others += there
        by.setdefault(recipe.mix.base.kind, []).append(here)
        rest = " ".join(f"{one:.2f}" for one in there)
        print(
            f"{number:2d} {name:18s} {here:5.2f} | {rest:24s} | {recipe.mix.base.kind} -> "
            f"{found.base[:48]}, plain {found.plain:.1f}"
        )
    print(f"same frame: median {np.median(same):.2f}, 90 % {np.percentile(same, 90):.2f}")
    print(
        f"other frames ({len(others)}): median {np.median(others):.2f}, "
        f"under 1: {np.mean(np.array(others) < 1):.0%}"
    )
    print({kind: round(float(np.median(some)), 2) for kind, some in by.items()})


def foreign_print(rgb: np.ndarray, seed: int) -> np.ndarray:
    """A mix with a power, a vignette, dodged, grained, turned, cropped, compressed."""
    chance = np.random.default_rng(seed)
    weights = chance.dirichlet([4, 5, 2])
    grey = np.clip(encode_srgb(np.maximum(rgb, 0)) @ weights, 0, 1) ** chance.uniform(0.8, 1.3)
    grey = grey + 0.25 * (grey * grey * (3 - 2 * grey) - grey)
    height, width = grey.shape
    y, x = np.mgrid[-1 : 1 : height * 1j, -1 : 1 : width * 1j]
    grey = grey * (1 - 0.18 * (x * x + y * y) / 2)
    at = chance.uniform(-0.5, 0.5, 2)
    grey = grey * (1 + 0.15 * np.exp(-((x - at[0]) ** 2 + (y - at[1]) ** 2) / 0.1))
    grey = grey + chance.normal(0, 0.012, grey.shape)
    turn = cv2.getRotationMatrix2D((width / 2, height / 2), chance.uniform(-1.5, 1.5), 1.06)
    grey = cv2.warpAffine(grey.astype(np.float32), turn, (width, height))
    codes = (np.clip(grey[20:-25, 30:-15], 0, 1) * 255).astype(np.uint8)
    data = cv2.imencode(".jpg", codes, [cv2.IMWRITE_JPEG_QUALITY, 80])[1]
    return cv2.imdecode(data, cv2.IMREAD_GRAYSCALE) / np.float32(255)


def foreign() -> None:
    same, others = [], []
    frames = {name: picture(name) for name in NAMES}
    for seed, (name, rgb) in enumerate(frames.items()):
        found = read([Pair(rgb, foreign_print(rgb, seed))])
        same.append(found.error)
        for other, one in frames.items():
            if other == name:
                continue
            # the same print of another frame, before what is local to a print
            chance = np.random.default_rng(seed)
            weights = chance.dirichlet([4, 5, 2])
            grey = np.clip(encode_srgb(np.maximum(one, 0)) @ weights, 0, 1) ** chance.uniform(
                0.8, 1.3
            )
            grey = grey + 0.25 * (grey * grey * (3 - 2 * grey) - grey)
            rest = found.recipe.model_copy(update={"finish": REST.finish})
            others.append(error(Pipeline(one).encoded(rest), grey))
        print(
            f"{name:18s} {found.error:.2f} (plain {found.plain:.1f}), left {found.low:.2f} "
            f"{found.middle:.2f} {found.high:.2f}, falloff {found.falloff:+.2f}; {found.base}"
        )
    print(
        f"foreign prints: same frame median {np.median(same):.2f}, other frames "
        f"{np.median(others):.2f}, worst {max(same):.2f} {max(others):.2f}"
    )
    try:
        read([Pair(frames["bunting"], foreign_print(frames["puppet-pilots"], 1))])
        print("another subject was read?")
    except ReadingError as problem:
        print(problem)


def look() -> None:
    share = np.linspace(0.001, 0.999, 500)
    for name in ("first-lift", "mugs-on-the-stall", "painted-wagon"):
        for other in ("puppet-pilots", "night-burner", "valley-fog"):
            target = Pipeline(picture(other, 800)).encoded(random_recipe(7))
            pipeline = Pipeline(picture(name, 800))
            wanted = look_of(target)
            before, after = (pipeline.encoded(one) for one in (REST, matched(pipeline, wanted, 70)))
            far = [
                np.abs(np.quantile(tones(one), share) - np.quantile(tones(target), share)).mean()
                for one in (before, after)
            ]
            print(
                f"{other:14s} -> {name:18s} tones apart {far[0]:5.1f} -> {far[1]:5.1f} L*: "
                f"{far[1] / far[0] - 1:+.0%}"
            )


def cost() -> None:
    rgb = picture("first-lift")
    target = Pipeline(rgb).encoded(random_recipe(7))
    begun = time.process_time()
    read([Pair(rgb, target)])
    print(f"one reading: {time.process_time() - begun:.1f} s")


if __name__ == "__main__":
    chosen = sys.argv[1] if len(sys.argv) > 1 else ""
    for part in (own, foreign, look, cost):
        if chosen in ("", part.__name__):
            part()
