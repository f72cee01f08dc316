"""The colour of lights and taking it out, against colour-science."""

import numpy as np
import pytest
from samples import colour_science

from oatmeal.core.colour.spaces import SRGB_TO_XYZ
from oatmeal.core.prepare import white

D65 = SRGB_TO_XYZ.sum(axis=1)


def uv(xyz):
    """CIE 1960 u, v by colour-science."""
    return colour_science().xy_to_UCS_uv(colour_science().XYZ_to_xy(xyz))


@pytest.mark.parametrize("warmth", [-90, -40, 0, 60, 196, 350])
def test_the_line_is_krysteks_moved_through_daylight(warmth):
    """Krystek (1985) as colour-science has it."""
    kelvin = 1e6 / (white.DAYLIGHT_MIRED + warmth)
    place = colour_science().temperature.CCT_to_uv_Krystek1985
    moved = uv(D65) - place(white.DAYLIGHT_K)
    expected = place(kelvin) + moved
    assert np.abs(uv(white.light_xyz(warmth, 0)) - expected).max() < 1e-9


@pytest.mark.parametrize("tint", [-200, -30, 20, 150])
def test_tint_is_the_distance_from_the_line(tint):
    """Duv (ANSI C78.377): positive toward green, that is toward higher v."""
    on, off = uv(white.light_xyz(80, 0)), uv(white.light_xyz(80, tint))
    assert np.hypot(*(off - on)) == pytest.approx(abs(tint) * 0.0005, rel=1e-6)
    assert np.sign(off[1] - on[1]) == np.sign(tint)
    along = uv(white.light_xyz(80.5, 0)) - uv(white.light_xyz(79.5, 0))
    assert abs(along @ (off - on)) < 1e-9


@pytest.mark.parametrize(("warmth", "tint"), [(196, 0), (-60, 10), (30, -40), (350, 100)])
def test_the_light_is_taken_out_as_cat16_does(warmth, tint):
    """CAT16 (Li et al. 2017), full adaptation, by colour-science."""
    rgb = np.random.default_rng(3).random((50, 3))
    theirs = colour_science().adaptation.chromatic_adaptation_VonKries(
        rgb @ SRGB_TO_XYZ.T, white.light_xyz(warmth, tint), D65, transform="CAT16"
    )
    ours = rgb @ white.adaptation(warmth, tint).T @ SRGB_TO_XYZ.T
    assert np.abs(ours - theirs).max() < 1e-4 * np.abs(theirs).max()


@pytest.mark.parametrize(("name", "kelvin"), [("A", 2856), ("D50", 5003), ("D75", 7504)])
def test_illuminants_of_the_standard_lie_where_they_should(name, kelvin):
    """CIE illuminants: near their own warmth, since the line was moved for D65 to lie on it."""
    xy = colour_science().CCS_ILLUMINANTS["CIE 1931 2 Degree Standard Observer"][name]
    rgb = np.linalg.inv(SRGB_TO_XYZ) @ colour_science().xy_to_XYZ(xy)
    warmth, tint = white.light_of(rgb)
    assert warmth == pytest.approx(1e6 / kelvin - white.DAYLIGHT_MIRED, abs=7)
    assert abs(tint) < 15
