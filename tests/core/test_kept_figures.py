"""Figures that earlier versions found: what a photographer was told stays what it was.

Made-up pictures; the figures are kept beside the frames. Where a method is improved on purpose
they are made anew (``python tests/core/test_kept_figures.py``), and the change log says so.
"""

import json
import sys
from itertools import product
from pathlib import Path

import numpy as np
import pytest
from samples import codes, linear_of

from oatmeal.core import mix, tone
from oatmeal.core.bands import Ends
from oatmeal.core.bands.split import RADII
from oatmeal.core.colour import oklab_to_linear, ranges
from oatmeal.core.mix import film
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import DECLARED, REST, Film, Mix, from_document
from oatmeal.core.recipe.curves import SHIPPED
from oatmeal.core.seeing import charts, measure
from oatmeal.core.seeing.balance import Balance
from oatmeal.core.seeing.greymap import GreyMap
from oatmeal.core.seeing.points import find_points
from oatmeal.core.seeing.spot import read_pin, read_spot
from oatmeal.core.seeing.starts import starts
from oatmeal.core.tone import curve, local

KEPT = Path(__file__).parent / "kept" / "figures.json"
RGB = linear_of(codes(120, 180, 16))
RECIPE = from_document(
    {
        "prepare": {"exposure": 0.2},
        "mix": {
            "lifts": {"red": 0.7, "green": -0.4, "blue": -1.1}, "centres": {"blue": 250},
            "picked": [{"colour": "#b23a2e", "reach": 0.07, "lift": 0.5}],
        },
        "tone": {"exposure": 0.3, "clarity": 30, "contrast": 15, "levels": {"black": 8}},
    }
)  # fmt: skip


def patches():
    """Flat colours round the hue circle and some greys, of unlike sizes."""
    hues = np.radians(np.arange(0, 360, 24))
    lab = [(0.4 + 0.03 * i, 0.13 * np.cos(h), 0.13 * np.sin(h)) for i, h in enumerate(hues)]
    flat = oklab_to_linear(np.array([*lab, (0.3, 0, 0), (0.7, 0, 0), (0.9, 0, 0)]))
    wide = np.repeat(flat, np.arange(len(flat)) % 5 + 4, axis=0)
    return np.repeat(wide[None], 70, axis=0).astype(np.float32)


def films():
    found = {}
    for name, filter_, strength in product(film.FILMS, ["none", *film.FILTERS], (0.5, 1.0, 2.0)):
        exposure = film.expose(Film(kind="film", film=name, filter=filter_, strength=strength))
        found[f"{name} {filter_} {strength}"] = [*exposure.weights, exposure.cost_stops]
    own = film.expose(Film(kind="film", film_edges=(420, 610), filter_edges=(500, 700)))
    found["own edges"] = [*own.weights, own.cost_stops, *own.passed[::40], *own.sensitivity[::40]]
    return found


def greys():
    work = Pipeline(RGB)
    spots = [read_spot(work, RECIPE, x, y) for x, y in ((0.1, 0.2), (0.5, 0.5), (0.9, 0.7))]
    pins = [read_pin(work, RECIPE, x, y) for x, y in ((0.0, 0.0), (0.4, 0.6), (1.0, 1.0))]
    points = {
        budget: find_points(work, RECIPE, budget).model_dump() for budget in (0.0005, 0.005, 0.05)
    }
    tones = measure.tones(work.codes(RECIPE), work.scale(RECIPE).end_codes)
    bright = np.minimum(work.codes(RECIPE) // 2 * 3, 255).astype(np.uint8)
    return {
        "spots": [[one.colour, one.per_stop, one.code] for one in spots],
        "pins": [[one.colour, one.plain, one.now, one.zone, one.code] for one in pins],
        "points": {str(budget): levels for budget, levels in points.items()},
        "tones": tones, "clipped": measure.tones(bright, (3, 240))["clipping"],
        "meter": [
            [one.lightness, one.zone, one.code, one.ink]
            for one in map(measure.meter, (0.0, 0.003, 0.02, 0.18, 0.5, 0.99, 1.0, 1.7))
        ],
    }  # fmt: skip


def colours():
    work, flat = GreyMap(RGB), GreyMap(patches())
    figures = flat.figures(RECIPE)
    pair = tuple(flat.figures(REST)["merging"][0]["colours"])
    parted = flat.separate(REST, pair)
    found = {f"balance {n}": Balance(patches(), RECIPE).find(n).lifts for n in (40.0, 100.0)}
    hue = np.arange(0, 360, 7.5)
    return {
        **found, "balance words": Balance(RGB, REST).find(80).words,
        "separate": [parted.lifts, parted.words] if parted else None,
        "figures": figures, "smooth": work.figures(RECIPE)["ranges"],
        "traces": [work.trace(RECIPE, name)[::4] for name in ("red", "blue", 0)],
        "weights": ranges.weights(hue, ranges.CENTRES).tolist(),
        "colourfulness": ranges.colourfulness(np.linspace(0, 0.1, 21), 30).tolist(),
        "peaks": [
            mix.peak(Mix.model_validate({"base": base, "lifts": {"red": 0.5}}), 1.3)
            for base in (
                {"kind": "plain"}, {"kind": "film"},
                {"kind": "channels", "red": 70.0, "green": 60.0, "blue": -20.0, "offset": 4.0},
                {"kind": "channels", "red": 120.0, "light": "linear"},
                {"kind": "six", "yellow": 130.0}, {"kind": "formula", "text": "r"},
            )
        ],
        "starts": [[one.name, one.words, one.mix.model_dump(mode="json")]
                   for one in starts(RGB, RECIPE)],
    }  # fmt: skip


ENDS = Ends(-4.3, -0.1)


def scales():
    grid = np.linspace(0, 1, 41)
    settings = RECIPE.tone.model_copy(update={"zones": (0.5, 0, 0, -0.4, 0, 0, 0.3, 0, -1.0)})
    settings = settings.model_copy(
        update={"shadows": 40.0, "highlights": -50.0, "sparkle": 30.0, "depth": 60.0, "veil": 25.0}
    )
    tables = {
        character: [
            table[::64].tolist()
            for table in (
                *local.tables(settings.model_copy(update={"character": character}), ENDS),
                local.over_the_base(character)["clarity"] / local.CLARITY_AT_100,
            )
        ]
        for character in RADII
    }
    laid = local.tables(settings.model_copy(update={"veil": -40.0}), ENDS)[0][::64].tolist()
    held = settings.model_copy(update={"hold_ends": True})
    return {
        "curves": {name: curve.evaluate(SHIPPED[name], grid).tolist() for name in SHIPPED},
        "transfer": tone.transfer(grid, settings).tolist(),
        "held": tone.transfer(grid * 1.4, held, 1.4).tolist(),
        "tables": tables, "laid veil": laid, "highest": local.highest_gain(settings, ENDS),
        "charts": [charts.zone_codes(), [charts.hex_of_hue(hue) for hue in range(0, 360, 40)],
                   {name: charts.plain_chart(name) for name in ("luminance", "average", "middle")}],
        "filters": [film.wavelengths()[:5].tolist(), film.spectral_colours()[::40]],
    }  # fmt: skip


def declared():
    return {
        path: one.public() | {"scale": one.scale, "origin": one.origin}
        for path, one in DECLARED.items()
    }


PARTS = {"films": films, "greys": greys, "colours": colours, "scales": scales, "settings": declared}


def plain(value):
    """As JSON has it, numbers to six digits."""
    if isinstance(value, dict):
        return {str(key): plain(inner) for key, inner in value.items()}
    if isinstance(value, list | tuple):
        return [plain(inner) for inner in value]
    if isinstance(value, float | np.floating):
        return float(f"{value:.6g}")
    return value.item() if isinstance(value, np.generic) else value


def same(found, kept, path=""):
    """Fails at the first figure that moved by more than a thousandth."""
    if isinstance(kept, dict):
        assert list(found) == list(kept), path
        for key, inner in kept.items():
            same(found[key], inner, f"{path}/{key}")
    elif isinstance(kept, list):
        assert len(found) == len(kept), path
        for place, inner in enumerate(kept):
            same(found[place], inner, f"{path}/{place}")
    elif isinstance(kept, float | int) and not isinstance(kept, bool):
        assert found == pytest.approx(kept, rel=1e-3, abs=1e-3), path
    else:
        assert found == kept, path


@pytest.mark.parametrize("part", PARTS)
def test_figures_are_what_they_were(part):
    same(plain(PARTS[part]()), json.loads(KEPT.read_text())[part])


if __name__ == "__main__":
    sys.path.insert(0, str(Path(__file__).parents[1]))
    KEPT.write_text(json.dumps({name: plain(make()) for name, make in PARTS.items()}) + "\n")
