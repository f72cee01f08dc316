"""Sharpening for output: crisper edges, no lines beside them, and the same in strips."""

import numpy as np
import pytest
from samples import codes

from oatmeal.core import output
from oatmeal.core.output import MEDIA, sharpened


def soft_edge(bits=8):
    top = 2**bits - 1
    ramp = 0.2 + 0.6 / (1 + np.exp(-(np.arange(120) - 60.3) / 1.1))
    return np.tile((ramp * top).round(), (50, 1)).astype(np.uint8 if bits == 8 else np.uint16)


@pytest.mark.parametrize("medium", MEDIA)
@pytest.mark.parametrize("bits", [8, 16])
def test_edges_become_steeper_without_lines_beside_them(medium, bits):
    edge = soft_edge(bits)
    sharp = sharpened(edge, medium, 100)
    assert sharp.dtype == edge.dtype
    assert np.diff(sharp[25].astype(int)).max() > np.diff(edge[25].astype(int)).max()
    assert sharp.min() >= edge.min()  # an unsharp mask alone would go beyond both
    assert sharp.max() <= edge.max()
    assert np.all(np.diff(sharp[25].astype(int)) >= 0)


def test_more_amount_is_more_and_none_is_nothing():
    edge = soft_edge()
    steps = [np.diff(sharpened(edge, "matte", amount)[25].astype(int)).max() for amount in (25, 75)]
    assert steps[0] < steps[1]
    assert np.array_equal(sharpened(edge, "matte", 0), edge)
    flat = np.full((30, 40), 133, np.uint8)
    assert np.array_equal(sharpened(flat, "glossy", 100), flat)


def test_paper_goes_by_the_resolution_and_a_screen_does_not():
    grey = codes(80, 90)[..., 0]
    assert np.array_equal(sharpened(grey, "screen", 60, 72), sharpened(grey, "screen", 60, 600))
    assert MEDIA["matte"].radius_px(600) == 2 * MEDIA["matte"].radius_px(300)
    assert MEDIA["matte"].radius_px(300) > MEDIA["glossy"].radius_px(300)


def test_strips_leave_no_seams(monkeypatch):
    grey = codes(300, 70)[..., 1]
    whole = sharpened(grey, "matte", 80, 400)
    monkeypatch.setattr(output, "_STRIP_ROWS", 37)
    assert np.array_equal(sharpened(grey, "matte", 80, 400), whole)


def test_a_medium_that_does_not_exist():
    with pytest.raises(KeyError):
        sharpened(soft_edge(), "linen")
