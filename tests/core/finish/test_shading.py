"""Falloff and burned edges: without steps, and where they are said to be."""

import numpy as np
import pytest
from printed import HIGH, WIDE, finish, flat

from oatmeal.core.colour import (
    decode_srgb,
)
from oatmeal.core.finish import (
    quantised,
)
from oatmeal.core.pipeline import Pipeline


def test_falloff_has_no_steps():
    shaded = Pipeline(flat(0.45, (1067, 1600))).encoded(finish(falloff={"amount": -60}))
    codes = 65535 * shaded[533].astype(float)  # rounding them to whole ones adds up to 2
    assert np.abs(np.diff(codes, 2)).max() <= 1
    assert len(np.unique(codes)) > 400
    eight = quantised(shaded, np.uint8, dither=True).astype(float)
    rows = eight[500:566].mean(axis=0)  # 66 rows together show no ring
    assert np.abs(rows / 255 - shaded[533]).max() < 0.4 / 255


def test_falloff_and_edges_do_what_they_say():
    def light(**parts):
        return decode_srgb(Pipeline(flat(0.6)).encoded(finish(**parts)).astype(float))

    plain = light()[0, 0]
    corner = light(falloff={"amount": -100})
    assert np.log2(corner[0, 0] / plain) == pytest.approx(-3, abs=0.05)
    assert corner[HIGH // 2, WIDE // 2] == pytest.approx(plain, rel=1e-3)
    assert light(falloff={"amount": 60})[0, 0] > plain
    aside = light(falloff={"amount": -80, "centre": [0.2, 0.5]})
    assert aside[HIGH // 2, round(0.2 * WIDE)] > 1.5 * aside[HIGH // 2, round(0.8 * WIDE)]
    farthest = light(falloff={"amount": -100, "centre": [0.2, 0.5]})
    assert np.log2(farthest[0, -1] / plain) == pytest.approx(-3, abs=0.05)
    assert -2 < np.log2(farthest[0, 0] / plain) < -0.05
    top = light(burned={"top": {"amount": -100, "reach": 50}})
    assert np.log2(top[0, 9] / plain) == pytest.approx(-3, abs=0.05)
    assert top[HIGH // 2 :].min() == pytest.approx(plain, rel=1e-3)
    bright = decode_srgb(
        Pipeline(flat(0.97)).encoded(finish(falloff={"amount": -100, "spare": 100})).astype(float)
    )
    assert bright[0, 0] > 0.7 * decode_srgb(np.array(0.97))
