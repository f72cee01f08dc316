"""What Finish does to edges, lightness and light, and what it costs.

The unit J is the JPEG encoding (quality 85) of the same 1600x1067 grey frame. Run with
``.venv/bin/python benchmarks/finish.py [sharpness|light|speed|export]``; nothing here judges, it
prints.
"""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from frames import DEMO, FRAME, frame_and_unit, large_jpeg, median
from scipy.special import erf

from oatmeal.core.colour import decode_srgb, lightness, luminance, luminance_of_lightness
from oatmeal.core.finish import toning as tints
from oatmeal.core.finish.quantising import through
from oatmeal.core.picture import ArrayPicture, proxy, reduced
from oatmeal.core.pipeline import Pipeline, render
from oatmeal.core.recipe import REST, Recipe, from_document
from oatmeal.core.recipe.examples import FINISH_STARTS
from oatmeal.core.recipe.finish import Toning
from oatmeal.exports.convert import convert_file
from oatmeal.library.store import FileStore, Original
from oatmeal.photofile.decode import Limits
from oatmeal.photofile.output import Output
from oatmeal.rendering.desk import Desk
from oatmeal.rendering.proxies import Proxies
from oatmeal.rendering.requests import Request


def finish(**parts: Any) -> Recipe:
    return from_document({"finish": parts})


def say(words: str, value: float | str) -> None:
    print(f"{words:<72}{value if isinstance(value, str) else f'{value:.3f}'}")


def star(encoded: Any) -> np.ndarray:
    return lightness(decode_srgb(np.asarray(encoded, np.float64)))


def sharpness() -> None:
    for deviation, radius in ((0.7, 1.0), (1.2, 1.5), (2.0, 1.0)):
        light = 50 + 20 * erf((np.arange(400) - 199.2) / deviation / np.sqrt(2))
        row = luminance_of_lightness(light).astype(np.float32)
        rgb = np.repeat(np.tile(row, (40, 1))[..., None], 3, axis=2)
        plain = Pipeline(rgb).encoded(REST)[20].astype(np.float64)
        blurred = cv2.GaussianBlur(plain[None], (0, 0), radius)[0]

        def slope(curve: np.ndarray) -> float:
            return float(np.abs(np.diff(curve)).max())

        def beyond(curve: np.ndarray, light: np.ndarray = light) -> float:
            return float(max(curve.max() - light.max(), light.min() - curve.min()))

        wanted = {"amount": 60, "radius": radius, "detail": 30, "edges": 0}
        sharp = star(Pipeline(rgb).encoded(finish(sharpness=wanted))[20])
        steeper = slope(sharp) / slope(light)
        masks = [star(plain + k * (plain - blurred)) for k in np.linspace(0, 4, 161)]
        rival = min(masks, key=lambda one: abs(slope(one) / slope(light) - steeper))
        say(f"edge of deviation {deviation} px: slope x{steeper:.2f}, beyond it, L*", beyond(sharp))
        say("  unsharp masking of the same slope", beyond(rival))


def light() -> None:
    for name, start in FINISH_STARTS["toning"].items():
        toning = Toning.model_validate(start)
        for words, dtype, codes in (("8", np.uint8, 255), ("16", np.uint16, 65535)):
            greys = np.linspace(0, 1, codes + 1)
            rounded = through(greys[None].astype(np.float32), tints.table(toning), dtype)[0] / codes
            moved = lightness(luminance(decode_srgb(rounded))) - star(greys)
            say(f"{name} at {words} bits: lightness moved, L*", float(np.abs(moved).max()))
    flat = np.full((1067, 1600, 3), decode_srgb(np.array(0.5)), np.float32)
    before = float(lightness(decode_srgb(np.array(0.5))))
    for amount, roughness in ((50, 25), (100, 25), (100, 100)):
        wanted = finish(grain={"amount": amount, "roughness": roughness})
        grainy = decode_srgb(Pipeline(flat).encoded(wanted).astype(np.float64))
        mean = float(lightness(grainy.mean()))
        say(f"grain {amount}, roughness {roughness}: mean of the light moved, L*", mean - before)
        say("  its deviation, L*", float(lightness(grainy).std()))
    large = ArrayPicture(np.full((2400, 3600, 3), decode_srgb(np.array(0.5)), np.float32))
    for name, start in FINISH_STARTS["grain"].items():
        wanted = finish(grain=start)
        small = Pipeline(proxy(large, 1200)).encoded(wanted)
        whole = render(large, wanted).astype(np.float64) / 255
        shrunk = np.asarray(reduced(whole[..., None].repeat(3, 2).astype(np.float32), 1200))[..., 0]
        say(f"grain {name}: deviation of a small copy / the whole reduced",
            float(small[20:-20, 20:-20].std() / shrunk[20:-20, 20:-20].std()))  # fmt: skip
    slow = np.full((1067, 1600, 3), decode_srgb(np.array(0.6)), np.float32)
    fallen = Pipeline(slow).encoded(finish(falloff={"amount": -60}))[533].astype(np.float64) * 65535
    for words, codes in (("", fallen), (", rounded to codes", np.round(fallen))):
        say(f"falloff at 16 bits: largest second difference, codes{words}",
            float(np.abs(np.diff(codes, 2)).max()))  # fmt: skip


DRAGS: dict[str, tuple[dict[str, Any], Any]] = {
    "toning": (
        {"grain": {"amount": 24}},
        lambda n: {"toning": {"darks": {"hue": 70, "strength": 5 + n % 90}}},
    ),
    "grain amount": ({}, lambda n: {"grain": {"amount": 5 + n % 90}}),
    "grain size": ({}, lambda n: {"grain": {"amount": 40, "size": 0.3 + 0.005 * (n % 90)}}),
    "glow": ({}, lambda n: {"glow": {"amount": 5 + n % 90}}),
    "glow's reach": ({}, lambda n: {"glow": {"amount": 40, "reach": 5 + 0.5 * (n % 90)}}),
    "falloff": ({}, lambda n: {"falloff": {"amount": -5 - n % 90}}),
    "burned edge": ({}, lambda n: {"burned": {"top": {"amount": -5 - n % 90}}}),
    "dust": ({}, lambda n: {"dust": {"amount": 5 + n % 90}}),
    "scratches": ({}, lambda n: {"scratches": {"amount": 5 + n % 90}}),
    "paper amount": ({}, lambda n: {"paper": {"amount": 5 + n % 90}}),
    "uneven edge": ({}, lambda n: {"border": {"uneven": {"width": 5 + 0.3 * (n % 90)}}}),
    "trace of colour": ({}, lambda n: {"kept": {"trace": 5 + n % 90}}),
    "kept colour": (
        {},
        lambda n: {"kept": {"colours": [{"colour": "#b23a2e", "amount": 90, "hue": n % 90}]}},
    ),
    "sharpening amount": ({}, lambda n: {"sharpness": {"amount": 5 + n % 90, "radius": 1.5}}),
}  # fmt: skip


def speed() -> None:
    _, unit = frame_and_unit("first-lift")
    with tempfile.TemporaryDirectory() as scratch:
        store = FileStore(Path(scratch) / "home")
        content = (DEMO / "first-lift.jpg").read_bytes()
        with store.receive([content], "a.jpg", 10**9) as received:
            store.keep(received, ".jpg")
        original = Original(received.sha256, ".jpg", "a.jpg")
        desk = Desk(original, (1800, 1200), Proxies(store, Limits()))
        for name, (rest, moved) in DRAGS.items():

            def drag(count: int, rest: Any = rest, moved: Any = moved) -> None:
                wanted = finish(**rest, **moved(count))
                desk.frame(Request(wanted, FRAME[0]))

            say(f"drag of {name}, full frame with its figures, J", median(drag, 25) / unit)


def export() -> None:
    full = {"tone": {"clarity": 30, "shadows": 20, "contrast": 10}}
    finished = {
        "sharpness": FINISH_STARTS["sharpness"]["general"],
        "grain": FINISH_STARTS["grain"]["medium"],
        "toning": FINISH_STARTS["toning"]["sepia"],
        "falloff": {"amount": -40},
    }
    with tempfile.TemporaryDirectory() as folder:
        source = large_jpeg(Path(folder))
        target = Path(folder) / "out.jpg"

        def once(wanted: Recipe) -> float:
            begun = time.perf_counter()
            convert_file(source, wanted, Output(), target)
            return time.perf_counter() - begun

        plain, all_of_it = from_document(full), from_document({**full, "finish": finished})
        grey = {name: part for name, part in finished.items() if name != "toning"}
        once(all_of_it)
        for words, wanted in (
            ("sharpening, grain, toning, falloff", all_of_it),
            ("the same without toning", from_document({**full, "finish": grey})),
        ):  # fmt: skip
            ratios = sorted(once(wanted) / once(plain) for _ in range(5))
            say(f"24 MP export with {words} over the same without", ratios[2])


PARTS = {"sharpness": sharpness, "light": light, "speed": speed, "export": export}

if __name__ == "__main__":
    for name in sys.argv[1:] or PARTS:
        PARTS[name]()
