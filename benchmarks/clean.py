"""How well noise, coloured edges, side fringes, spots and specks are cleaned, and what it costs.

Every picture is a demo photograph with a made-up fault, so that the truth is known. The unit J is
the JPEG encoding (quality 85) of the same 1600x1067 grey frame. Run with
``.venv/bin/python benchmarks/clean.py [noise|edges|side|spots|specks|speed]``; nothing here judges,
it prints.
"""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

import cv2
import numpy as np
from frames import DEMO, FRAME, frame_and_unit, large_jpeg, median, say

from oatmeal.core import colour, prepare
from oatmeal.core.colour import decode_srgb, encode_srgb
from oatmeal.core.noise import Noise, measured_array
from oatmeal.core.picture import ArrayPicture, Window, framed, reduced
from oatmeal.core.pipeline import WHOLE_SIDE, Pipeline, Region, render
from oatmeal.core.pipeline.render import small_of
from oatmeal.core.prepare.spots import Healing, Laid
from oatmeal.core.recipe import REST, Recipe, from_document
from oatmeal.core.seeing import sidefringes, specks
from oatmeal.core.seeing.sources import find_source
from oatmeal.exports.convert import convert_file
from oatmeal.photofile.output import Output

#: Gain and floor of the noise at three levels; white balance multiplies the channels by the rest.
LEVELS = {
    "low": (1 / 4000, 0.0005**2),
    "middle": (1 / 1000, 0.002**2),
    "high": (1 / 250, 0.006**2),
}
BALANCE = np.array([2.0, 1.0, 1.6])
THREE = ("first-lift", "mugs-on-the-stall", "painted-wagon")
RED = {"mix": {"base": {"kind": "film", "filter": "red"}, "guard": 0}}


def picture(name: str, size: tuple[int, int] = FRAME) -> np.ndarray:
    codes = cv2.imread(str(DEMO / f"{name}.jpg"))[..., ::-1]
    light = decode_srgb(codes / 255).astype(np.float32)
    return np.ascontiguousarray(cv2.resize(light, size, interpolation=cv2.INTER_AREA))


def noisy(clean: np.ndarray, level: str, blur: float = 0.0) -> tuple[np.ndarray, Noise]:
    gain, floor = LEVELS[level]
    known = Noise(tuple(gain * BALANCE), tuple(floor * BALANCE**2))
    grain = np.random.default_rng(0).normal(size=clean.shape)
    if blur:
        grain = cv2.GaussianBlur(grain, (0, 0), blur)
    spread = np.sqrt(np.maximum(clean, 0) * known.gain + np.array(known.floor))
    return (clean + grain * spread).astype(np.float32), known


def psnr(one: np.ndarray, other: np.ndarray) -> float:
    return float(10 * np.log10(1 / max(np.mean((one - other) ** 2), 1e-12)))


def taking(light: float = 100, red: bool = False) -> Recipe:
    noise = {"prepare": {"noise": {"light": light, "colour": light}}}
    return from_document(noise | (RED if red else {}))


def greys(rgb: np.ndarray, known: Noise | None = None, light: float = 0) -> list[np.ndarray]:
    """Encoded greys, plain and behind a red filter."""
    found = []
    for red in (False, True):
        work = Pipeline(ArrayPicture(rgb, noise_of_file=(lambda: known) if known else None))
        grey = work.mixed(taking(light, red))
        found.append(encode_srgb(np.clip(grey, 0, 1)))
    return found


def non_local_means(rgb: np.ndarray, truth: list[np.ndarray]) -> list[float]:
    """OpenCV's, the best of a few strengths for each grey."""
    codes = (np.clip(encode_srgb(rgb), 0, 1) * 255).round().astype(np.uint8)
    best = [0.0, 0.0]
    for strength in (2, 4, 7, 11, 16):
        seen = cv2.fastNlMeansDenoisingColored(codes, None, strength, strength, 7, 21)
        made = greys(decode_srgb(seen / 255).astype(np.float32))
        best = [max(was, psnr(one, t)) for was, one, t in zip(best, made, truth, strict=True)]
    return best


def noise() -> None:
    print("PSNR of the grey in dB, plain / red filter (three pictures, 800x533)")
    for level in LEVELS:
        rows: list[list[float]] = []
        for name in THREE:
            clean = picture(name, (800, 533))
            truth = greys(clean)
            bad, known = noisy(clean, level)
            told = measured_array(bad)
            each = [greys(bad), greys(bad, known, 100), greys(bad, told, 100)]
            row = [psnr(one, t) for made in each for one, t in zip(made, truth, strict=True)]
            rows.append(row + non_local_means(bad, truth))
        mean = np.mean(rows, axis=0)
        names = ("noisy", "cleaned, level known", "cleaned, level measured", "non-local means")
        for place, name in enumerate(names):
            print(f"  {level:7s} {name:26s} {mean[2 * place]:.1f} / {mean[2 * place + 1]:.1f}")
    rows = []
    for name in THREE:
        clean = picture(name, (800, 533))
        truth = greys(clean)
        bad, _ = noisy(clean, "high", 0.7)
        told = measured_array(bad)
        white = Noise(told.gain, told.floor)
        each = [greys(bad), greys(bad, white, 100), greys(bad, told, 100)]
        rows.append([psnr(one, t) for made in each for one, t in zip(made, truth, strict=True)])
    mean = np.mean(rows, axis=0)
    for place, name in enumerate(("noisy", "taken for white", "by its spectrum")):
        print(f"  smoothed {name:24s} {mean[2 * place]:.1f} / {mean[2 * place + 1]:.1f}")


def glowing(truth: np.ndarray) -> np.ndarray:
    """A purple glow outside lights whose border is a strong edge."""
    y = colour.luminance(truth).astype(np.float32)
    bright = (y > 0.5).astype(np.float32)
    stops, square = np.log2(y + 2.0**-6).astype(np.float32), np.ones((9, 9), np.uint8)
    strong = ((cv2.dilate(stops, square) - cv2.erode(stops, square)) > 2).astype(np.float32)
    strong = cv2.GaussianBlur(strong, (0, 0), 1.5)
    glow = 0.35 * cv2.GaussianBlur(bright, (0, 0), 2.2) * (1 - bright) * strong * 2
    out = truth.copy()
    out[..., 0] += 0.5 * glow
    out[..., 2] += glow
    return out


def lab(rgb: np.ndarray) -> np.ndarray:
    return colour.oklab(np.maximum(rgb, 0))


def edges() -> None:
    recipe = from_document({"prepare": {"edge_colour": {"purple": 100, "green": 100}}})
    grey = np.repeat(colour.luminance(picture("first-lift"))[..., None], 3, axis=2)
    grounds = {"neutral ground": grey.astype(np.float32)}
    grounds |= {name: picture(name) for name in ("mugs-on-the-stall", "bunting", *THREE[::2])}
    for name, truth in grounds.items():
        bad = glowing(truth)
        off = [
            np.linalg.norm((lab(one) - lab(truth))[..., 1:], axis=-1)
            for one in (bad, Pipeline(bad).get("freed", recipe))
        ]
        lines = off[0] > 0.02
        left = 100 * off[1][lines].mean() / off[0][lines].mean()
        limit = "<= 15" if name == "neutral ground" else "<= 60"
        say(f"coloured edges, {name}: chroma error left", left, "%", limit)
        colours = lab(truth)
        chroma = np.hypot(colours[..., 1], colours[..., 2])
        hue = np.degrees(np.arctan2(colours[..., 2], colours[..., 1]))
        purple = (chroma > 0.06) & (np.abs((hue - 310 + 180) % 360 - 180) < 35)
        things = cv2.morphologyEx(purple.astype(np.uint8), cv2.MORPH_OPEN, np.ones((7, 7)))
        things = (cv2.dilate(things, np.ones((5, 5))) > 0) & purple
        if things.mean() > 0.002:
            after = lab(Pipeline(truth).get("freed", recipe))
            touched = np.linalg.norm((after - colours)[..., 1:], axis=-1) > 0.02
            say("    of its purple things, touched", 100 * touched[things].mean(), "%", "<= 5")


def scaled(plane: np.ndarray, factor: float) -> np.ndarray:
    height, width = plane.shape
    x, y = (width - 1) / 2 * (1 - factor), (height - 1) / 2 * (1 - factor)
    matrix = np.array([[factor, 0, x], [0, factor, y]], np.float32)
    return cv2.warpAffine(
        plane, matrix, (width, height), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE
    )


def side() -> None:
    worst = 0.0
    for name in (*THREE, "bunting", "puppet-pilots"):
        rgb = picture(name, (1800, 1200))
        corner = float(np.hypot(1800, 1200)) / 2
        own = sidefringes.find_side_fringes(ArrayPicture(rgb))
        for pixels in (1.5, -1.5):
            bad = rgb.copy()
            bad[..., 0] = scaled(rgb[..., 0], 1 + pixels / corner)
            bad[..., 2] = scaled(rgb[..., 2], 1 - pixels / corner)
            found = sidefringes.find_side_fringes(ArrayPicture(bad))
            for one, before, true in ((found.red, own.red, 1), (found.blue, own.blue, -1)):
                told = ((one or 0) - (before or 0)) * corner / 100
                worst = max(worst, abs(told - true * pixels))
    say("side fringes of 1.5 px either way, left at the corner", worst, "px", "<= 0.15")


def healed(bad: np.ndarray, x: int, y: int, radius: int) -> tuple[np.ndarray, tuple[int, int]]:
    height, width = bad.shape[:2]
    window = Window(0, 0, width, height)

    def look(rectangle: tuple[int, int, int, int]) -> np.ndarray:
        left, top, across, down = rectangle
        return bad[top : top + down, left : left + across]

    middle = np.array([[x + 0.5, y + 0.5]])
    spot = Laid(middle, float(radius), (0, 0), False)
    way = find_source(Healing(look, [], window), spot, (width, height)) or (2 * radius + 2, 0)
    out = bad.copy()
    whole = (0, 0, width, height)
    Healing(look, [Laid(middle, float(radius), way, False)], window).paste(out, whole, 1)
    return out, way


def spots() -> None:
    print("PSNR inside spots of 6 to 20 px, dB")
    told: dict[str, list[list[float]]] = {}
    for seed, name in enumerate((*THREE, "valley-fog", "bunting")):
        generator = np.random.default_rng(seed + 100)
        rgb = picture(name)
        seen = encode_srgb(rgb).astype(np.float32)
        for _ in range(25):
            radius = int(generator.integers(6, 21))
            y = int(generator.integers(radius + 8, FRAME[1] - radius - 8))
            x = int(generator.integers(radius + 8, FRAME[0] - radius - 8))
            down, across = np.ogrid[: FRAME[1], : FRAME[0]]
            hole = (down - y) ** 2 + (across - x) ** 2 <= radius**2
            bad = rgb.copy()
            bad[hole] = decode_srgb(0.9)
            out, way = healed(bad, x, y, radius)
            part = (slice(max(0, y - 90), y + 90), slice(max(0, x - 90), x + 90))
            mask = hole[part]
            codes = (np.clip(encode_srgb(bad[part]), 0, 1) * 255).round().astype(np.uint8)
            marked = mask.astype(np.uint8) * 255
            moved = np.roll(encode_srgb(bad), (-way[1], -way[0]), (0, 1))[part]
            made = [
                encode_srgb(out)[part],
                cv2.inpaint(codes, marked, 5, cv2.INPAINT_TELEA) / 255,
                cv2.inpaint(codes, marked, 5, cv2.INPAINT_NS) / 255,
                moved,
            ]
            weights = np.array([0.299, 0.587, 0.114])
            truth = seen[part] @ weights
            tones = cv2.GaussianBlur(truth, (0, 0), 2)[mask]
            edge = np.percentile(tones, 95) - np.percentile(tones, 5) > 0.15
            kind = "sky" if truth[mask].std() < 0.012 else "edge" if edge else "texture"
            told.setdefault(kind, []).append(
                [psnr((one @ weights)[mask], truth[mask]) for one in made]
            )
    for kind, rows in sorted(told.items()):
        mean = np.mean(rows, axis=0)
        names = ("healed", "Telea", "Navier-Stokes", "plain clone")
        parts = ", ".join(f"{name} {one:.1f}" for name, one in zip(names, mean, strict=True))
        print(f"  {kind:8s} ({len(rows)}): {parts}")


def dusty(rgb: np.ndarray, seed: int) -> tuple[np.ndarray, list[tuple[float, float, float]]]:
    """25 made specks where they can be seen: deeper than twice what is uneven round them."""
    generator = np.random.default_rng(seed)
    height, width = rgb.shape[:2]
    down, across = np.mgrid[:height, :width]
    stops = np.log2(colour.luminance(rgb) + 2.0**-6)
    out, made = rgb.copy(), []
    while len(made) < 25:
        radius = float(np.exp(generator.uniform(np.log(3.5), np.log(18))))
        y, x = generator.uniform(25, height - 25), generator.uniform(25, width - 25)
        depth, soft = generator.uniform(0.08, 0.5), generator.uniform(0.12, 0.35)
        far = int(2.5 * radius) + 1
        round_it = stops[max(0, int(y) - far) : int(y) + far, max(0, int(x) - far) : int(x) + far]
        if round_it.std() > 0.5 * depth or any(np.hypot(y - b, x - a) < 60 for a, b, _ in made):
            continue
        inner = (np.hypot(down - y, across - x) - radius) / (radius * soft)
        out *= np.exp2(-depth / (1 + np.exp(np.minimum(inner, 60))))[..., None].astype(np.float32)
        made.append((x, y, radius))
    return out, made


def dust() -> None:
    found, true, proposed = 0, 0, 0
    for seed, name in enumerate(("first-lift", "mugs-on-the-stall", "valley-fog", "straight-up")):
        size = FRAME[::-1] if name == "straight-up" else FRAME
        bad, made = dusty(picture(name, size), seed)
        told = specks.find_specks(bad)
        free = {number: (one.x * max(size), one.y * max(size)) for number, one in enumerate(told)}
        for x, y, radius in made:
            near = [
                n for n, (a, b) in free.items() if np.hypot(a - x, b - y) < max(4, radius * 0.7)
            ]
            if near:
                del free[near[0]]
                found += 1
        true, proposed = true + len(made), proposed + len(told)
        print(f"  {name}: {len(made)} made, {len(told)} proposed, {len(told) - len(free)} right")
    say("specks, recall", found / true, "", ">= 0.75")
    say("specks, precision", found / max(proposed, 1), "", ">= 0.75")


def speed() -> None:
    clean, unit = frame_and_unit("first-lift")
    rgb, known = noisy(clean, "middle")
    whole = Pipeline(ArrayPicture(rgb, noise_of_file=lambda: known))
    half = Pipeline(
        ArrayPicture(reduced(rgb, FRAME[0] // 2), scale=0.5, noise_of_file=lambda: known)
    )

    def fresh(settings: Recipe) -> object:
        return Pipeline(ArrayPicture(rgb, noise_of_file=lambda: known)).codes(settings)

    none = median(lambda _: fresh(REST), 7) / unit
    first = median(lambda _: fresh(taking()), 7) / unit
    say("noise at 1600x1067, once", first - none, "J", "<= 35")
    say("a drag of its amount", median(lambda n: whole.codes(taking(50 + n))) / unit, "J", "<= 6")
    say("    half size", median(lambda n: half.codes(taking(50 + n))) / unit, "J", "")
    freed = [from_document({"prepare": {"edge_colour": {"purple": 50 + n}}}) for n in range(20)]
    say("coloured edges, once", median(lambda n: fresh(freed[n]), 7) / unit - none, "J", "")
    say("    a drag of the amount", median(lambda n: whole.codes(freed[n]), 15) / unit, "J", "")

    def spotted(count: int) -> Recipe:
        places = [{"path": f"{900 + 700 * n} 2500", "source": [0.02, 0.01]} for n in range(12)]
        places[-1]["source"] = [0.02, 0.01 + count / 2000]
        return from_document({"prepare": {"spots": places}})

    say("a drag of a spot's source, 12 spots", median(lambda n: whole.codes(spotted(n))) / unit,
        "J", "")  # fmt: skip
    say("    half size", median(lambda n: half.codes(spotted(n))) / unit, "J", "")
    say("what is measured of the noise", median(lambda _: measured_array(rgb), 5) / unit, "J", "")
    say("find specks", median(lambda _: specks.find_specks(clean), 3, 1) / unit, "J", "")
    middle = (clean, 700, 300, 14)
    say("find a source, 14 px", median(lambda _: healed(*middle), 5) / unit, "J", "")
    source = ArrayPicture(rgb, noise_of_file=lambda: known)
    everything = from_document(
        {
            "prepare": {
                "noise": {"light": 60, "colour": 80}, "edge_colour": {"purple": 80},
                "spots": [{"path": "2500 1500", "source": [0.3, 0.2]}], "frame": {"angle": 3},
            }
        }
    )  # fmt: skip
    view = framed(source, prepare.geometry(everything))
    full = render(source, everything).astype(int)
    worst = 0
    for x, y in ((300, 200), (411, 131)):
        part = Region(view, (x, y, 500, 400), everything, small_of(view, WHOLE_SIDE))
        off = part.codes(everything).astype(int) - full[y : y + 400, x : x + 500]
        worst = max(worst, int(np.abs(off).max()))
    say("a region alone against the whole, farthest", worst, "/255", "<= 1 (dither: 1)")
    with tempfile.TemporaryDirectory() as folder:
        large = large_jpeg(Path(folder))
        out = Path(folder) / "out.jpg"

        def export(settings: Recipe) -> float:
            return median(lambda _: convert_file(large, settings, Output(), out), 1, 0)

        settings = (REST, taking(60), freed[0], spotted(0))
        export(settings[1])
        rounds = np.array([[export(one) for one in settings] for _ in range(5)])
        over = np.median(rounds[:, 1:] / rounds[:, :1], axis=0)
        say("24 MP export with noise taken away over none", float(over[0]), "x", "<= 3")
        say("    with coloured edges", float(over[1]), "x", "")
        say("    with 12 spots", float(over[2]), "x", "")


PARTS = {
    "noise": noise,
    "edges": edges,
    "side": side,
    "spots": spots,
    "specks": dust,
    "speed": speed,
}

if __name__ == "__main__":
    for name in sys.argv[1:] or PARTS:
        PARTS[name]()
