"""Film and filters against published spectra and what the trade says of them."""

import numpy as np
import pytest
from samples import colour_science

from oatmeal.core.colour import encode_srgb, lightness
from oatmeal.core.mix import base_grey, film
from oatmeal.core.recipe import Film, Plain

SKY, BRICK, LEAF = (0.10, 0.25, 0.62), (0.40, 0.12, 0.06), (0.07, 0.20, 0.05)


def stops(filter_, rgb, film_="panchromatic"):
    """How far a filter moves a colour against the film alone, in stops."""
    pixel = np.array([[rgb]], np.float32)
    with_filter = base_grey(pixel, Film(kind="film", film=film_, filter=filter_))
    alone = base_grey(pixel, Film(kind="film", film=film_))
    return float(np.log2(with_filter / alone)[0, 0])


def test_basis_and_daylight_equal_colour_science():
    """Mallett and Yuksel 2019; D65 of CIE 015."""
    published = colour_science().recovery.MSDS_BASIS_FUNCTIONS_sRGB_MALLETT2019
    assert np.array_equal(film.wavelengths(), published.wavelengths)
    assert np.allclose(film.basis(), published.values, atol=1e-7)
    assert np.allclose(film.basis().sum(axis=1), 1, atol=1e-6)
    shape = colour_science().SpectralShape(380, 780, 5)
    daylight = colour_science().SDS_ILLUMINANTS["D65"].copy().trim(shape)
    assert np.allclose(film.daylight(), daylight.values, atol=1e-3)


def test_weights_equal_integration_by_colour_science():
    """Integral of basis x daylight x sensitivity x transmittance, trapezium against our sum."""
    nm = film.wavelengths()
    sensitive = 1 / (1 + np.exp((395 - nm) / 10)) / (1 + np.exp((nm - 655) / 10))
    filter_ = 0.92 / (1 + np.exp((550 - nm) / 8))
    published = colour_science().recovery.MSDS_BASIS_FUNCTIONS_sRGB_MALLETT2019.values
    daylight = (
        colour_science()
        .SDS_ILLUMINANTS["D65"]
        .copy()
        .interpolate(colour_science().SpectralShape(380, 780, 5))
    )
    spectra = published * (daylight[nm] * sensitive * filter_)[:, None]
    expected = np.trapezoid(spectra, nm, axis=0)
    found = film.expose(Film(kind="film", filter="orange"))
    assert np.allclose(found.weights, expected / expected.sum(), atol=2e-4)
    assert sum(found.weights) == pytest.approx(1)


@pytest.mark.parametrize(
    ("filter_", "low", "high"),
    [("yellow", 0.7, 1.2), ("deep-yellow", 0.9, 1.3), ("orange", 1.5, 2.0), ("red", 2.0, 3.0),
     ("green", 1.7, 2.4)],
)  # fmt: skip
def test_costs_in_stops(filter_, low, high):
    """Yellow about 1, orange 1.5 to 2, red 2 to 3, green about 2 (common practice, no source)."""
    assert low <= film.expose(Film(kind="film", filter=filter_)).cost_stops <= high


def test_filters_do_what_the_trade_says():
    """Common practice, no source: what a filter darkens and lightens."""
    assert stops("red", SKY) < stops("orange", SKY) < stops("yellow", SKY) < 0
    assert stops("red", BRICK) > 0.5
    assert stops("blue", SKY) > 0.3
    assert stops("blue", LEAF) < 0
    for own, opposite, filter_ in (
        (BRICK, SKY, "red"),
        (LEAF, BRICK, "green"),
        (SKY, BRICK, "blue"),
    ):
        assert stops(filter_, own) > stops(filter_, opposite)


def test_white_stays_white_and_strength_stacks():
    white = np.ones((1, 1, 3), np.float32)
    for strength in (0.0, 1.0, 3.0):
        base = Film(kind="film", filter="red", strength=strength)
        assert base_grey(white, base)[0, 0] == pytest.approx(1, abs=1e-5)
    alone = film.expose(Film(kind="film"))
    nothing = film.expose(Film(kind="film", filter="red", strength=0.0))
    assert nothing.weights == pytest.approx(alone.weights)
    assert nothing.cost_stops == pytest.approx(0, abs=1e-9)
    single, double = (film.expose(Film(kind="film", filter="red", strength=s)) for s in (1.0, 2.0))
    assert double.cost_stops > 1.1 * single.cost_stops
    assert np.allclose(
        double.passed, single.passed**2 / np.maximum(single.sensitivity, 1e-12), atol=1e-6
    )


def test_orthochromatic_film_is_nearly_blind_to_red():
    """Common practice, no source: red lips and bricks turn dark."""
    pixel = np.array([[BRICK]], np.float32)
    ortho = base_grey(pixel, Film(kind="film", film="orthochromatic"))
    plain = base_grey(pixel, Plain(kind="plain"))
    assert lightness(ortho)[0, 0] < lightness(plain)[0, 0] - 5


def test_own_edges_replace_the_named_ones():
    own = film.expose(Film(kind="film", filter="red", filter_edges=(490.0, 580.0)))
    assert own.weights[1] > 0.8
    assert film.edges(Film(kind="film", filter="red", filter_edges=(490.0, 580.0)))[1] == (490, 580)
    wide = film.expose(Film(kind="film", film_edges=(380.0, 780.0)))
    assert np.allclose(wide.sensitivity, 1)


def test_spectral_colours_are_in_spectral_order():
    """For drawing only: blue near 450 nm, green near 530, red near 650."""
    codes = dict(zip(film.wavelengths().astype(int), film.spectral_colours(), strict=True))
    parts = {nm: [int(codes[nm][i : i + 2], 16) for i in (1, 3, 5)] for nm in (450, 530, 650)}
    assert [int(np.argmax(parts[nm])) for nm in (450, 530, 650)] == [2, 1, 0]
    assert encode_srgb(1.0) == pytest.approx(1)


def test_a_purple_filter_stops_green_and_a_second_one_takes_its_own_share():
    """Magenta glass passes both ends of the spectrum (common practice, no source)."""
    green, red, blue = (0.05, 0.5, 0.05), (0.5, 0.05, 0.05), (0.05, 0.05, 0.5)
    assert stops("purple", green) < -0.5
    assert stops("purple", red) > 0.3
    assert stops("purple", blue) > 0.3
    one, other = (film.glass(name, film.FILTERS[name][:2]) for name in ("orange", "yellow-green"))
    both = film.expose(Film(kind="film", filter="orange", second="yellow-green"))
    alone = film.expose(Film(kind="film"))
    assert np.allclose(both.passed, alone.sensitivity * one * other)
    turned = film.expose(Film(kind="film", filter="yellow-green", second="orange"))
    assert both.weights == pytest.approx(turned.weights)
    single = film.expose(Film(kind="film", filter="orange"))
    assert both.cost_stops > single.cost_stops
    twice = film.expose(Film(kind="film", filter="red", second="red"))
    strong = film.expose(Film(kind="film", filter="red", strength=2.0))
    assert twice.weights == pytest.approx(strong.weights)
