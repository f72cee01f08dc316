"""How well areas keep to what is meant, and what they cost.

Outlined objects of the demo and of pictures that packages carry tell how far *alike* covers what is
meant and spills; a made-up head before a sky tells halos. The unit J is the JPEG encoding (quality
85) of the same 1600x1067 grey frame. Run with
``.venv/bin/python benchmarks/areas.py [alike|head|hold|speed|export]``; nothing here judges, it
prints.
"""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import cv2
import numpy as np
import skimage.data
import sklearn.datasets
from frames import DEMO, FRAME, frame_and_unit, large_jpeg, median

from oatmeal.core.areas import kernels
from oatmeal.core.colour import decode_srgb, encode_srgb, lightness, oklab_to_linear
from oatmeal.core.picture import reduced
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import Recipe, from_document
from oatmeal.core.recipe.paths import path
from oatmeal.exports.convert import convert_file
from oatmeal.photofile.output import Output

#: Outlines and strokes are in units of 900 for the longer side.
UNIT = 900
PACKAGED = {
    "astronaut": Path(skimage.data.__file__).parent / "astronaut.png",
    "coffee": Path(skimage.data.__file__).parent / "coffee.png",
    "rocket": Path(skimage.data.__file__).parent / "rocket.jpg",
    "china": Path(sklearn.datasets.__file__).parent / "images/china.jpg",
    "flower": Path(sklearn.datasets.__file__).parent / "images/flower.jpg",
}
ROUND = np.linspace(0, 2 * np.pi, 40, endpoint=False)

#: name: (picture, reach, outlines of what is meant, of what is not, three strokes).
TUNED = {
    "blue jacket": ("puppet-pilots", 0.45, [
        [(5, 598), (12, 505), (35, 462), (108, 446), (150, 505), (178, 528), (182, 598)],
        [(262, 598), (262, 525), (305, 458), (340, 440), (385, 466), (405, 520), (420, 598)]],
        None, [[(60, 520), (70, 560)], [(340, 500), (350, 560)], [(110, 560), (140, 570)]]),
    "yellow jacket": ("puppet-pilots", 0.45, [
        [(470, 598), (476, 485), (505, 448), (560, 415), (585, 458), (620, 500), (628, 598)],
        [(702, 505), (770, 430), (828, 446), (853, 495), (862, 590), (695, 598)]],
        None, [[(520, 520), (530, 560)], [(780, 500), (790, 560)], [(590, 560), (600, 570)]]),
    "face": ("puppet-pilots", 0.35, [
        [(165, 220), (195, 185), (240, 172), (285, 185), (296, 225), (292, 270), (270, 315),
         (238, 350), (215, 354), (192, 335), (165, 298), (152, 260)]],
        None, [[(215, 190), (240, 200)], [(280, 250), (280, 275)], [(185, 270), (195, 300)]]),
    "other face": ("puppet-pilots", 0.35, [
        [(590, 175), (622, 152), (660, 147), (697, 162), (715, 190), (720, 240), (708, 285),
         (685, 318), (650, 330), (622, 318), (597, 280), (588, 230)]],
        None, [[(620, 170), (650, 170)], [(700, 240), (700, 265)], [(610, 250), (620, 280)]]),
    "grass": ("valley-fog", 2, [
        [(240, 475), (640, 465), (900, 470), (900, 600), (395, 600), (310, 525)],
        [(100, 470), (190, 460), (250, 598), (110, 598)]],
        [[(0, 0), (900, 0), (900, 330), (660, 330), (220, 330), (0, 330)]],
        [[(440, 520), (500, 530)], [(780, 560), (840, 550)], [(140, 530), (160, 560)]]),
    "meadow": ("first-lift", 2, [[(0, 450), (900, 450), (900, 600), (0, 600)]],
        [[(0, 0), (900, 0), (900, 365), (0, 365)]],
        [[(180, 500), (230, 510)], [(680, 480), (730, 490)], [(430, 560), (480, 570)]]),
    "white panel": ("first-lift", 0.35, [
        [(178, 185), (205, 115), (236, 106), (230, 200), (230, 335), (222, 338), (195, 280)]],
        None, [[(200, 160), (205, 180)], [(215, 130), (215, 150)], [(210, 260), (215, 300)]]),
    "sky": ("first-lift", 2, [
        [(290, 35), (415, 22), (425, 75), (440, 130), (350, 140), (300, 97), (225, 88), (215, 70)],
        [(775, 12), (890, 10), (890, 90), (810, 85), (790, 50)],
        [(310, 200), (345, 150), (440, 155), (440, 200), (410, 240), (370, 250)]],
        [[(130, 180), (240, 105), (350, 180), (320, 280), (240, 345), (160, 280)],
         [(565, 200), (680, 130), (780, 220), (740, 310), (670, 360), (600, 300)],
         [(0, 400), (900, 400), (900, 600), (0, 600)],
         [(450, 20), (540, 5), (720, 5), (640, 60)], [(20, 200), (80, 210), (110, 230), (10, 220)],
         [(410, 330), (465, 280), (520, 330), (465, 385)]],
        [[(330, 60), (370, 60)], [(830, 40), (860, 40)], [(380, 180), (400, 210)]]),
}  # fmt: skip
UNUSED = {
    "suit": ("astronaut", 0.6, [
        [(130, 390), (210, 440), (290, 490), (400, 530), (400, 600), (250, 600), (225, 640),
         (225, 730), (120, 800), (60, 780), (50, 600), (80, 450)],
        [(490, 520), (560, 450), (610, 480), (625, 580), (590, 600), (500, 590)]],
        [[(150, 0), (260, 0), (260, 250), (190, 260), (150, 330)],
         [(560, 0), (630, 0), (630, 400), (560, 400)],
         [(560, 680), (800, 650), (850, 880), (560, 890)]],
        [[(100, 500), (90, 700)], [(180, 480), (330, 560)], [(530, 500), (600, 540)]]),
    "saucer": ("coffee", 0.6, [
        [(140, 290), (165, 200), (240, 140), (262, 190), (280, 280), (300, 330), (280, 400),
         (300, 460), (220, 450)],
        [(330, 480), (480, 500), (600, 485), (680, 400), (700, 300), (690, 220), (640, 180),
         (625, 250), (600, 330), (610, 430), (560, 490), (430, 500)]],
        [[(0, 120), (140, 110), (60, 300), (120, 480), (0, 590)],
         [(760, 100), (900, 60), (900, 560), (700, 590), (770, 350)],
         [(290, 60), (560, 60), (560, 100), (290, 100)]],
        [[(170, 250), (240, 400)], [(360, 510), (560, 500)], [(660, 380), (680, 250)]]),
    "flower": ("flower", 0.5, [
        [(430 + 185 * np.cos(a), 311 + 185 * np.sin(a)) for a in ROUND]],
        [[(0, 0), (900, 0), (900, 480), (680, 480), (660, 200), (430, 80), (210, 200), (210, 460),
          (0, 480)]],
        [[(330, 250), (380, 350)], [(430, 200), (520, 300)], [(430, 420), (500, 400)]]),
    "pale sky": ("china", 2, [
        [(0, 0), (260, 0), (120, 140), (0, 200)],
        [(330, 0), (900, 0), (900, 170), (760, 190), (740, 280), (480, 270), (460, 160)]],
        [[(140, 160), (440, 160), (460, 330), (480, 470), (140, 470)],
         [(0, 480), (440, 490), (700, 430), (900, 300), (900, 590), (0, 590)]],
        [[(100, 60), (180, 60)], [(500, 60), (800, 60)], [(550, 200), (700, 200)]]),
    "evening sky": ("rocket", 2, [
        [(140, 0), (780, 0), (780, 200), (640, 200), (600, 400), (480, 400), (480, 180),
         (420, 180), (420, 400), (300, 400), (270, 200), (140, 200)]],
        [[(100, 560), (900, 560), (900, 600), (100, 600)],
         [(435, 200), (470, 200), (470, 560), (435, 560)]],
        [[(200, 60), (400, 60)], [(520, 150), (580, 350)], [(330, 300), (400, 380)]]),
    "red mug": ("mugs-on-the-stall", 0.35, [
        [(125, 310), (287, 312), (284, 400), (240, 402), (238, 495), (150, 500), (132, 470)]],
        [[(300, 300), (500, 300), (500, 460), (410, 470), (410, 410), (300, 400)],
         [(0, 110), (880, 110), (880, 210), (0, 215)]],
        [[(150, 340), (270, 340)], [(150, 400), (220, 400)], [(160, 470), (220, 470)]]),
    "speckled mug": ("mugs-on-the-stall", 0.35, [
        [(672, 320), (838, 322), (832, 500), (800, 520), (710, 520), (678, 500)]],
        [[(480, 260), (640, 260), (640, 480), (480, 440)],
         [(0, 110), (880, 110), (880, 210), (0, 215)]],
        [[(690, 360), (820, 360)], [(690, 420), (820, 430)], [(710, 490), (800, 490)]]),
    "far lawn": ("mugs-on-the-stall", 2, [
        [(60, 130), (360, 130), (620, 150), (680, 140), (690, 200), (520, 215), (330, 200),
         (180, 205), (60, 215)]],
        [[(130, 310), (640, 300), (640, 480), (130, 500)],
         [(670, 320), (840, 320), (840, 520), (670, 520)],
         [(0, 540), (900, 540), (900, 600), (0, 600)]],
        [[(80, 170), (150, 180)], [(300, 160), (420, 170)], [(560, 180), (660, 180)]]),
    "deep sky": ("straight-up", 2, [
        [(0, 0), (600, 0), (600, 60), (300, 60), (200, 100), (190, 140), (150, 140), (100, 160),
         (60, 500), (0, 560)],
        [(220, 420), (300, 430), (300, 520), (230, 600)]],
        [[(215, 200), (250, 120), (350, 85), (440, 110), (480, 200), (470, 260), (400, 340),
          (320, 340), (240, 290)],
         [(0, 640), (220, 640), (220, 850), (0, 850)],
         [(375, 490), (500, 485), (550, 510), (540, 550), (380, 550)]],
        [[(60, 100), (60, 400)], [(300, 40), (500, 40)], [(250, 450), (260, 560)]]),
    "chimney": ("straight-up", 0.6, [
        [(150, 195), (188, 195), (170, 640), (88, 640), (118, 400)]],
        [[(0, 0), (135, 0), (120, 180), (50, 590), (0, 590)],
         [(215, 150), (215, 560), (600, 620), (600, 0), (215, 0)]],
        [[(165, 230), (160, 330)], [(145, 400), (150, 500)], [(110, 570), (150, 620)]]),
}  # fmt: skip


def say(words: str, value: object) -> None:
    shown = f"{value:.2f}" if isinstance(value, float) else value
    print(f"{words:<72}{shown}")


def opened(name: str, side: int) -> np.ndarray:
    file = PACKAGED.get(name, DEMO / f"{name}.jpg")
    light = decode_srgb(cv2.imread(str(file))[..., ::-1] / 255).astype(np.float32)
    if max(light.shape) < side:
        scale = side / max(light.shape)
        light = cv2.resize(light, None, fx=scale, fy=scale, interpolation=cv2.INTER_CUBIC)
    return np.ascontiguousarray(reduced(np.maximum(light, 0), side))


def filled(outlines, shape) -> np.ndarray:
    out = np.zeros(shape, np.uint8)
    for outline in outlines:
        points = np.round(np.array(outline) / UNIT * max(shape) * 16 - 8).astype(np.int32)
        cv2.fillPoly(out, [points], 1, shift=4)
    return out.astype(bool)


def area(mask: list, **values: float) -> dict:
    return {"id": "a", "mask": mask, "values": values or {"exposure": 1}}


def recipe(*areas: dict, **steps: dict) -> Recipe:
    named = [{**one, "id": f"a{place}"} for place, one in enumerate(areas)]
    return from_document({**steps, "areas": {"list": named}})


def mask_of(work: Pipeline, part: dict) -> np.ndarray:
    found = work.get("masks", recipe(area([part])))["a0"]
    out = np.zeros(work.source.shape[:2], np.float32)
    box = found.box
    out[box.y0 : box.y1, box.x0 : box.x1] = found.plane / 65535
    return out


def covered(work: Pipeline, case: tuple, count: int, tolerance: float, **more: object) -> float:
    """Coverage less spill of the first ``count`` strokes."""
    _, reach, meant, other, strokes = case
    paths = [path([(x / UNIT, y / UNIT) for x, y in stroke]) for stroke in strokes[:count]]
    part = {"kind": "alike", "this": paths, "reach": reach, "tolerance": tolerance, **more}
    mask = mask_of(work, part)
    inside = filled(meant, mask.shape)
    if other is None:
        side = int(max(mask.shape) * 0.025)
        beside = ~cv2.dilate(inside.astype(np.uint8), np.ones((side, side))).astype(bool)
        spill = mask[beside].sum() / inside.sum()
    else:
        spill = mask[filled(other, mask.shape)].mean()
    return float(mask[inside].mean() - spill)


def alike() -> None:
    """At the usual tolerance, and at the best of five for each object, as a hand would turn it."""
    for words, cases in (("tuned on", TUNED), ("unused", UNUSED)):
        usual, best = [], []
        for name, case in cases.items():
            work = Pipeline(opened(case[0], 1000))
            found = {t: covered(work, case, 3, t) for t in (10, 15, 20, 30, 45)}
            usual.append(found[20])
            best.append(max(found.values()))
            say(f"  {name}", " ".join(f"{t}: {value:.2f}" for t, value in found.items()))
        say(f"alike, three strokes, {words}: usual / best of five tolerances",
            f"{np.mean(usual):.2f} / {np.mean(best):.2f}")  # fmt: skip


def grain(shape: tuple[int, int], size: float, seed: int) -> np.ndarray:
    """Noise of four octaves, of deviation 1."""
    draws, (high, wide) = np.random.default_rng(seed), shape
    total = np.zeros(shape, np.float32)
    for octave in range(4):
        cell = max(2, int(size / 2**octave))
        small = draws.standard_normal((max(2, high // cell + 2), max(2, wide // cell + 2)))
        grown = cv2.resize(small.astype(np.float32), (wide, high), interpolation=cv2.INTER_CUBIC)
        total += 0.5**octave * grown
    return total / total.std()


def scene(step: float, long: int = 1600) -> tuple[np.ndarray, np.ndarray]:
    """A head before a sky, and how far each pixel is head; their colours lie ``step`` apart."""
    wide, high = long, round(long * 2 / 3)
    y, x = np.mgrid[: 2 * high, : 2 * wide].astype(np.float32) + 0.5
    x, y = x / (2 * wide), y / (2 * high)
    turn = np.arctan2(y - 0.27, x - 0.45)
    far = np.hypot((x - 0.45) / 0.115, (y - 0.27) / 0.155)
    rim = 1 + 0.035 * np.cos(7 * turn + 1) + 0.02 * np.cos(19 * turn)
    rim += 0.012 * np.cos(43 * turn + 2)
    neck = (np.abs(x - 0.45) < 0.055) & (y > 0.27) & (y < 0.5)
    shoulders = ((x - 0.45) / 0.26) ** 2 + ((y - 0.68) / 0.24) ** 2 < 1
    inside = ((far < rim) | neck | shoulders).astype(np.float32)
    share = cv2.resize(inside, (wide, high), interpolation=cv2.INTER_AREA)
    share = cv2.GaussianBlur(share, (0, 0), 0.7)
    x, y = x[::2, ::2], y[::2, ::2]
    skin = np.array([0.62, 0.045, 0.055])
    way = np.array([0.55, -0.55, -0.63])
    sky = skin + step * way / np.linalg.norm(way)
    head = np.broadcast_to(skin[:, None, None], (3, high, wide)).copy()
    back = np.broadcast_to(sky[:, None, None], (3, high, wide)).copy()
    head[0] += 0.03 * grain((high, wide), long / 60, 1) + 0.2 * (x - 0.45)
    head[1] += 0.006 * grain((high, wide), long / 40, 2)
    back[0] += 0.125 * min(step, 0.12) * grain((high, wide), long / 8, 3) - 0.05 * (y - 0.3)
    rgb = oklab_to_linear(head.transpose(1, 2, 0)) * share[..., None]
    rgb += oklab_to_linear(back.transpose(1, 2, 0)) * (1 - share[..., None])
    shown = encode_srgb(np.maximum(rgb, 0))
    shown += 0.012 * np.random.default_rng(10).standard_normal(shown.shape)
    light = decode_srgb(np.clip(np.round(shown * 255) / 255, 0, 1))
    return np.ascontiguousarray(light.astype(np.float32)), share


def along_the_rim(share: np.ndarray, depth: float) -> list[tuple[float, float]]:
    """A path inside the head, so deep from its edge, in shares."""
    inside = (share > 0.5).astype(np.uint8)
    away = cv2.distanceTransform(inside, cv2.DIST_L2, 5) / share.shape[1]
    lines, _ = cv2.findContours(
        (away > depth).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE
    )
    line = max(lines, key=len)[:, 0, :]
    line = line[line[:, 1] < share.shape[0] * 0.85][::8]
    return [(float(x) / share.shape[1], float(y) / share.shape[1]) for x, y in line]


def head() -> None:
    """A head raised one stop: what changes outside it, by the distance from its edge."""
    rgb, share = scene(0.12)
    work = Pipeline(rgb)
    plain = lightness(decode_srgb(work.encoded(recipe())))
    away = cv2.distanceTransform((share < 0.02).astype(np.uint8), cv2.DIST_L2, 5)
    rim = path(along_the_rim(share, 0.018))
    brush = {"path": rim, "radius": 0.04, "flow": 100}
    inner = [path(along_the_rim(share, 0.02)[::3]), "4400 1700 300 300", "4000 4600 1000 300"]
    parts = {
        "plain soft brush": {"kind": "strokes", "strokes": [brush]},
        "held brush": {"kind": "strokes", "strokes": [{**brush, "hold": 60}]},
        "alike": {"kind": "alike", "this": inner, "reach": 1.0, "tolerance": 20},
    }
    for words, part in parts.items():
        raised = lightness(decode_srgb(work.encoded(recipe(area([part], exposure=1.0)))))
        error = np.abs(raised - plain)
        bands = [error[(away > low) & (away <= high)].mean() for low, high in
                 ((0, 4), (4, 16), (16, 48))]  # fmt: skip
        say(f"head, {words}: outside at 0-4 / 4-16 / 16-48 px, L*",
            " / ".join(f"{value:.2f}" for value in bands))  # fmt: skip


def hold() -> None:
    """Spill of a held brush against a plain one, and what it loses inside."""
    for step in (0.03, 0.06, 0.12, 0.25):
        rgb, share = scene(step)
        work = Pipeline(rgb)
        rim = path(along_the_rim(share, 0.018))
        stroke = {"path": rim, "radius": 0.04, "flow": 100}
        found = {
            hold: mask_of(work, {"kind": "strokes", "strokes": [{**stroke, "hold": hold}]})
            for hold in (0, 60)
        }
        outside, inside = share < 0.02, (share > 0.98) & (found[0] > 0.9)
        spill = found[60][outside].sum() / found[0][outside].sum()
        lost = (found[0] - found[60])[inside].mean()
        say(f"held brush at {step}: spill against a plain one / lost in the core",
            f"{spill:.3f} / {lost:.3f}")  # fmt: skip


def speed() -> None:
    rgb, unit = frame_and_unit("first-lift")
    half = reduced(rgb, FRAME[0] // 2)
    tile = np.zeros((200, 200), np.float32)
    line = np.array([[20.0, 20.0, 60.0, 1.0], [100.0, 120.0, 60.0, 1.0], [180.0, 90.0, 60.0, 1.0]])
    coat = np.array([[0.0, 0.05, 1.0, 0.0]])
    starts = np.array([0, 3])
    say("a stroke over a tile of 200x200, J",
        median(lambda _: kernels.paint(line, starts, coat, (0, 0), tile), 51) / unit)  # fmt: skip
    draws = np.random.default_rng(1)
    strokes = []
    for _ in range(300):
        x, y = draws.uniform(500, 9000), draws.uniform(500, 6000)
        turns = draws.normal(0, 120, 16).astype(int)
        strokes.append({"path": f"{int(x)} {int(y)} " + " ".join(map(str, turns)), "flow": 5})
    strokes = [one for one in strokes if _fits(one["path"])]
    part = {"kind": "strokes", "strokes": strokes}
    painted = recipe(area([part]))
    say(f"{len(strokes)} strokes painted afresh at 1600, J",
        median(lambda _: Pipeline(rgb).get("masks", painted), 5) / unit)  # fmt: skip
    work, count = Pipeline(rgb), iter(range(10_000))

    def draw(_: int = 0) -> None:
        last = {**strokes[0], "flow": 6 + next(count) % 90}
        work.get("masks", recipe(area([{"kind": "strokes", "strokes": [*strokes, last]}])))

    draw()
    say("one more being drawn over them, its mask, J", median(draw, 15) / unit)
    say("reading a recipe with them, ms", 1e3 * median(lambda _: recipe(area([part])), 9))
    ovals = [
        {"kind": "ellipse", "centre": [0.2 + 0.2 * (i % 4), 0.2 + 0.1 * (i // 4)],
         "radii": [0.16, 0.16]} for i in range(10)
    ]  # fmt: skip
    rest = {"tone": {"clarity": 30, "shadows": 20, "contrast": 10}}
    for words, steps, values in (
        ("exposure, local tone at rest", {}, {}),
        ("exposure on local tone", rest, {}),
        ("with shadows, clarity and contrast of their own", rest,
         {"shadows": 20, "clarity": 30, "contrast": 10}),
    ):  # fmt: skip
        for areas in (1, 4, 10):
            shown = []
            for picture in (half, rgb):
                work, count = Pipeline(picture), iter(range(10_000))

                def drag(
                    _=0, work=work, count=count, areas=areas, values=values, steps=steps
                ) -> None:
                    moved = 0.3 + 0.001 * next(count)
                    all_of_them = [
                        area([oval], exposure=moved if not place else 0.3, **values)
                        for place, oval in enumerate(ovals[:areas])
                    ]
                    work.codes(recipe(*all_of_them, **steps))

                drag()
                shown.append(f"{median(drag, 21) / unit:.1f}")
            say(f"drag of {words}, {areas} areas: half / full, J", " / ".join(shown))


def _fits(text: str) -> bool:
    points = np.array(text.split(), dtype=int).reshape(-1, 2).cumsum(axis=0)
    return bool(points.min() >= 0 and points.max() <= 10_000)


def export() -> None:
    """24 MP with ten areas over the same without, and the memory that ten whole masks take."""
    ovals = [
        area([{"kind": "ellipse", "centre": [0.2 + 0.2 * (i % 4), 0.2 + 0.1 * (i // 4)],
               "radii": [0.16, 0.16]}], exposure=0.3, clarity=20) for i in range(10)
    ]  # fmt: skip
    whole = [
        area([{"kind": "fade", "from": [0, 0], "to": [1.5, 0.1 * i]}], exposure=0.1)
        for i in range(10)
    ]
    full = {"tone": {"clarity": 30, "shadows": 20, "contrast": 10}}
    with tempfile.TemporaryDirectory() as folder:
        source = large_jpeg(Path(folder))
        target = Path(folder) / "out.jpg"
        output = Output(format="jpeg")

        def once(wanted: Recipe) -> float:
            begun = time.perf_counter()
            convert_file(source, wanted, output, target)
            return time.perf_counter() - begun

        once(recipe(**full))
        for words, areas in (("ten areas", ovals), ("ten that cover the whole frame", whole)):
            ratios = []
            for _ in range(5):
                plain = once(recipe(**full))
                ratios.append(once(recipe(*areas, **full)) / plain)
            say(f"24 MP export with {words} over the same without", sorted(ratios)[2])
        code = (
            "import re, sys, json; from pathlib import Path;"
            "from oatmeal.core.recipe import from_document;"
            "from oatmeal.exports.convert import convert_file;"
            "from oatmeal.photofile.encode import Output;"
            "convert_file(Path(sys.argv[1]), from_document(json.loads(sys.argv[2])),"
            " Output(format='jpeg'), Path(sys.argv[3]));"
            "print(re.findall(r'VmHWM:\\s+(\\d+)', Path('/proc/self/status').read_text())[0])"
        )
        for words, wanted in (("no area", recipe(**full)), ("ten masks", recipe(*whole, **full))):
            told = json.dumps(wanted.document())
            command = [sys.executable, "-c", code, str(source), told, str(target)]
            done = subprocess.run(command, capture_output=True, text=True, check=True)
            say(f"24 MP export, {words}: most memory, GB", int(done.stdout) / 1e6)


PARTS = {"alike": alike, "head": head, "hold": hold, "speed": speed, "export": export}

if __name__ == "__main__":
    for name in sys.argv[1:] or PARTS:
        PARTS[name]()
