"""What the Mix step's tools cost and what the guard gains, in one run.

The unit J is the JPEG encoding (quality 85) of the same 1600x1067 grey frame. Run with
``.venv/bin/python benchmarks/mix.py``; nothing here judges, it prints.
"""

from __future__ import annotations

import sys
from pathlib import Path

import cv2
import numpy as np
from frames import DEMO, FRAME, median, say

from oatmeal.core import kernels, mix
from oatmeal.core.guard import Settling
from oatmeal.core.mix import formula_kernel
from oatmeal.core.picture import ArrayPicture, reduced
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import REST, from_document
from oatmeal.core.recipe.formula import compile_formula
from oatmeal.core.seeing import strip
from oatmeal.core.seeing.balance import Balance
from oatmeal.core.seeing.greymap import GreyMap
from oatmeal.core.seeing.starts import starts
from oatmeal.core.trust import Trust
from oatmeal.host.allocator import keep_frames
from oatmeal.photofile.decode import decode

sys.path.insert(0, str(Path(__file__).parents[1] / "tests" / "core"))
sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))
import test_guard as scene  # the synthetic sky is drawn once, for the test and for this


def guard_gain() -> None:
    """What the guard gains under strong recipes, over the file as it is."""
    codes, _ = scene.sky_with_trees()
    for name, make in (
        ("q75 4:2:0", lambda one: scene.saved(one, 75)),
        ("q92 4:2:0", lambda one: scene.saved(one, 92)),
        ("q75 4:2:0, then 96", lambda one: scene.saved(scene.saved(one, 75), 96, 0)),
        ("q95 4:4:4", lambda one: scene.saved(one, 95, 0)),
        ("WebP 85", lambda one: scene.in_format(one, "WEBP", quality=85)),
        ("AVIF 70", lambda one: scene.in_format(one, "AVIF", quality=70)),
    ):
        gains, skies = [], []
        for recipe in scene.RECIPES.values():
            for picture, found in ((codes, skies), *((one, gains) for one in photographs())):
                ideal, made = scene.grey(picture, recipe, 0), make(picture)
                off = scene.psnr(scene.grey(made, recipe, 0), ideal)
                found.append(scene.psnr(scene.grey(made, recipe), ideal) - off)
        print(f"{name:20} photographs {np.mean(gains):+.2f} dB (least {min(gains):+.2f}), "
              f"sky {np.mean(skies):+.2f} dB")  # fmt: skip
    china = scene.of_scikit_learn("china.jpg")
    plain = steps(scene.grey(china, {}))
    for name, recipe in scene.RECIPES.items():
        off, held = (steps(scene.grey(china, recipe, guard)) for guard in (0, "auto"))
        say(f"china's sky, {name}: block borders over plain, off {off / plain:.2f}", held / plain,
            "x", "<= 1.1")  # fmt: skip


def photographs() -> list[np.ndarray]:
    """Those of packages, reduced so that their own faults have gone."""
    kept = (one for name, one in scene.photographs().items() if name != "china")
    return [scene.reduced_truth(one) for one in kept]


def steps(grey: np.ndarray) -> float:
    return float(np.abs(np.diff(grey[:70, :200], axis=1))[:, 7::8].mean())


def costs() -> None:
    picture = decode(DEMO / "first-lift.jpg")
    rgb = reduced(picture.linear(0, 0, picture.width, picture.height), FRAME[0])
    work = Pipeline(rgb)
    grey = work.codes(REST)
    quality = [cv2.IMWRITE_JPEG_QUALITY, 85]
    unit = median(lambda n: cv2.imencode(".jpg", grey, quality))
    print(f"\nJ = {unit * 1000:.2f} ms for {grey.shape[1]}x{grey.shape[0]}")
    plain = median(lambda n: mix.analyse(rgb)) / unit
    guarded = median(lambda n: Settling(Trust(coarse=1.0, narrow=1.0)).colour(rgb)) / unit
    say("colours of a picture, once per picture", plain, "J", "")
    say("guard, once per picture", guarded, "J", "")

    def drag(guard: float) -> float:
        def one(count: int) -> None:
            lifts = {"blue": -0.01 * count, "red": 0.5}
            work.codes(from_document({"mix": {"lifts": lifts, "guard": guard}}))

        return median(one) / unit

    without, with_guard = drag(0), drag(100)
    say("drag in Mix without guard, pixels alone", without, "J", "")
    say("drag in Mix with guard, pixels alone", with_guard, "J", "<= 8")
    picked = {"colour": "#3060c0", "reach": 0.08}

    def pick(count: int) -> None:
        moved = [picked | {"lift": 0.01 * count}]
        work.codes(from_document({"mix": {"picked": moved}}))

    say("drag of a picked colour, pixels alone", median(pick) / unit, "J", "")
    program = compile_formula("where(hue > 200, r, Y**0.45) * (1 - 0.2*b)", {})
    say(
        "a formula with hue",
        median(lambda n: formula_kernel.evaluate(rgb, program)) / unit,
        "J",
        "<= 4",
    )
    lifts = [-2.0, -1.5, -1.0, -0.5, 0.0, 0.5, 1.0, 1.5, 2.0]
    bands = strip.variants(REST, "mix.lifts.blue", lifts)
    nine = median(lambda n: strip.render(ArrayPicture(rgb), bands, upright=True)) / unit
    fresh = median(lambda n: Pipeline(rgb).codes(bands[0])) / unit
    say("test strip of nine bands against one fresh frame", nine / fresh, "x", "about 1")
    found = median(lambda n: Balance(rgb, REST).find(), rounds=5)
    print(f"Balance on a {rgb.shape[1]} px proxy: {found * 1000:.0f} ms (target 120)")
    whole = median(lambda n: all_starts(rgb), rounds=3, warm=1)
    print(f"twelve starting points with their figures: {whole:.2f} s (target 1.5)")


def all_starts(rgb: np.ndarray) -> None:
    small = Pipeline(reduced(rgb, 300))
    figures = GreyMap(rgb)
    for start in starts(rgb, REST):
        recipe = REST.model_copy(update={"mix": start.mix})
        small.codes(recipe)
        figures.figures(recipe)


if __name__ == "__main__":
    keep_frames()
    kernels.warm()
    guard_gain()
    costs()
