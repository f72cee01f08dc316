"""The whole of Finish: parts, exports, line and mat, and what is switched off."""

import numpy as np
import pytest
from printed import finish, flat, patches, star
from samples import DEMO

from oatmeal.core.colour import (
    encode_srgb,
)
from oatmeal.core.finish import (
    widths,
)
from oatmeal.core.picture import ArrayPicture
from oatmeal.core.pipeline import Pipeline, Region, render
from oatmeal.core.pipeline.render import small_of
from oatmeal.core.pipeline.work import WHOLE_SIDE
from oatmeal.photofile.decode import decode

PRINT = {
    "glow": {"amount": 50, "threshold": 50},
    "sharpness": {"amount": 60}, "grain": {"amount": 40, "size": 1.2, "roughness": 40},
    "toning": {"lights": {"hue": 72, "strength": 30}, "darks": {"hue": 58, "strength": 34}},
    "falloff": {"amount": -50, "roundness": -30}, "burned": {"left": {"amount": -40}},
    "dust": {"amount": 80, "size": 90}, "scratches": {"amount": 70, "light": False},
    "paper": {"amount": 60, "size": 90}, "border": {"uneven": {"width": 25}},
    "kept": {"trace": 10, "colours": [{"colour": "#b23a2e", "amount": 80, "hue": 30}]},
}  # fmt: skip


def test_a_part_is_bit_equal_to_that_part_of_the_whole():
    draws = np.random.default_rng(1).random((301, 407, 3)).astype(np.float32)
    whole = Pipeline(ArrayPicture(draws, seed=3)).coloured(finish(**PRINT))
    picture = ArrayPicture(draws, seed=3)
    part = Region(picture, (101, 67, 150, 120), finish(**PRINT), Pipeline(draws)).coloured(
        finish(**PRINT)
    )
    assert np.array_equal(part, whole[67:187, 101:251])


def test_an_export_at_full_size_is_what_the_browser_shows_at_100_percent():
    source = decode(DEMO / "first-lift.jpg")
    wanted = finish(**PRINT)
    exported = render(source, wanted, np.float32)
    for side, most in ((WHOLE_SIDE, 1e-6), (1800, 0.5 / 255)):  # the browser has a larger one
        part = Region(source, (700, 500, 300, 200), wanted, small_of(source, side)).encoded(wanted)
        assert np.abs(exported[500:700, 700:1000] - part).max() < most
    assert render(source, wanted, np.uint16, 300).shape[2] == 3
    assert render(source, finish(falloff={"amount": -9}), np.uint8, 300).ndim == 2


def test_line_and_mat_enlarge_the_file_and_leave_the_picture():
    source = ArrayPicture(flat(0.5, (200, 300)))
    border = {"gap": 10, "line": 5, "line_grey": 20, "mat": 60, "mat_grey": 90, "base": 50}
    for dtype in (np.uint8, np.uint16):
        bare = render(source, finish(kept={"trace": 10}), dtype)
        made = render(source, finish(kept={"trace": 10}, border=border), dtype)
        gap, line, mat, foot = widths(finish(border=border).finish.border, 300, 200)
        assert (gap, line, mat, foot) == (3, 2, 18, 27)
        assert made.shape[:2] == (200 + 2 * 5 + 18 + 27, 300 + 2 * 23)
        assert np.array_equal(made[23:223, 23:323], bare)
        greys = star(made[..., 0] / np.iinfo(dtype).max)
        assert greys[5, 5] == pytest.approx(90, abs=0.3)
        assert greys[19, 150] == pytest.approx(20, abs=0.3)
        assert greys[21, 150] == pytest.approx(90, abs=0.3)
        assert greys[-1, 150] == pytest.approx(90, abs=0.3)
    thin = render(source, finish(border={"line": 0.1}), np.uint8)
    assert thin.shape == (202, 302)


def test_light_is_encoded_as_it_was():
    """What Finish leaves alone keeps every bit."""
    rgb = flat(0.5)
    assert Pipeline(rgb).encoded(finish(**{**PRINT, "on": False})) is not None
    plain = Pipeline(rgb).encoded(finish())
    assert np.array_equal(Pipeline(rgb).encoded(finish(on=False, **PRINT)), plain)
    assert float(plain[0, 0]) == pytest.approx(float(encode_srgb(rgb[0, 0, 0])), abs=1e-6)


def test_a_part_that_is_switched_off_is_as_if_at_rest_and_keeps_its_values():
    rgb = patches()
    plain = Pipeline(rgb).coloured(finish())
    off = {name: {**part, "on": False} for name, part in PRINT.items()}
    off["burned"]["left"] = {"amount": -40}
    recipe = finish(**off)
    assert np.array_equal(Pipeline(rgb).coloured(recipe), plain)
    assert recipe.finish.grain.amount == 40
    assert not recipe.effective().coloured
    for name in PRINT:  # each by itself
        alone = finish(**{other: part for other, part in PRINT.items() if other != name})
        one = finish(**{**PRINT, name: {**PRINT[name], "on": False}})
        assert np.array_equal(Pipeline(rgb).coloured(one), Pipeline(rgb).coloured(alone)), name
    off = finish(border={"mat": 40, "uneven": {"width": 20}, "on": False})
    alone = off.model_copy(update={"finish": off.finish.unmounted()})
    assert np.array_equal(Pipeline(rgb).coloured(alone), plain)
    mounted = finish(border={"mat": 40, "on": False})
    assert render(ArrayPicture(rgb), mounted).shape == (120, 360)
