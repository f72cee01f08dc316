"""Toning: hue and strength as they are said, lightness kept."""

import numpy as np
import pytest
from printed import star

from oatmeal.core.colour import (
    decode_srgb,
    hue_and_chroma,
    lightness,
    luminance,
    oklab,
)
from oatmeal.core.finish import (
    palette,
    quantising,
    toning,
)
from oatmeal.core.recipe.examples import FINISH_STARTS
from oatmeal.core.recipe.finish import Toning


@pytest.mark.parametrize("name", FINISH_STARTS["toning"])
def test_toning_keeps_lightness(name):
    settings = Toning.model_validate(FINISH_STARTS["toning"][name])
    greys = np.linspace(0.01, 0.99, 300, dtype=np.float32)[None]
    for dtype, most in ((np.uint8, 0.3), (np.uint16, 0.01)):
        table = toning.table(settings)
        codes = quantising.through(greys, table, dtype)[0] / np.iinfo(dtype).max
        moved = lightness(luminance(decode_srgb(codes))) - star(np.round(greys[0] * 65535) / 65535)
        assert np.abs(moved).max() <= most
    assert np.ptp(palette(settings)[128].astype(int)) > 3


def test_toning_has_the_hue_and_the_strength_that_are_said():
    """C / L 0.25 at 100, and the trade's warm tone (common practice, no source: HSV 43 degrees)."""
    settings = Toning.model_validate(
        {"lights": {"hue": 89.0, "strength": 15.0}, "darks": {"hue": 89.0, "strength": 15.0}}
    )
    greys = np.array([[0.5, 0.7]], np.float32)
    rgb = quantising.through(greys, toning.table(settings), np.uint16)[0] / 65535
    lab = oklab(decode_srgb(rgb))
    hue, chroma = hue_and_chroma(lab)
    assert hue == pytest.approx(89, abs=1)
    assert chroma[0] / lab[0, 0] == pytest.approx(0.0375, rel=0.05)
    high, low = rgb[0].max(), rgb[0].min()
    in_hsv = 60 * (rgb[0, 1] - low) / (high - low)  # red is highest, blue lowest
    assert in_hsv == pytest.approx(43, abs=4)
    assert palette(settings)[255].tolist() == [255, 255, 255]
    assert palette(settings)[0].tolist() == [0, 0, 0]
