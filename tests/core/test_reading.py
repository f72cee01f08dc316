"""Recipes read from prints: against recipes that are known, and what must always hold."""

from functools import cache

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from samples import DEMO, colours, linear_of
from scipy.interpolate import PchipInterpolator

from oatmeal.core.colour import decode_srgb, encode_srgb, lightness
from oatmeal.core.features import features
from oatmeal.core.mix.lifting import base_grey
from oatmeal.core.picture import reduced
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.reading import Pair, ReadingError, aligned, look_of, matched, read
from oatmeal.core.reading.bases import Candidate, films_near, first_candidates
from oatmeal.core.reading.fitting import Fitted, Points, _Fitter, tones_of
from oatmeal.core.reading.kernels import FLOOR
from oatmeal.core.reading.looks import _curve
from oatmeal.core.reading.scales import scale_of
from oatmeal.core.recipe import REST, from_document
from oatmeal.core.tone.scale import transfer


@cache
def picture(name, side=560):
    codes = cv2.imread(str(DEMO / f"{name}.jpg"))[..., ::-1]
    return reduced(linear_of(codes), side)


def tones(encoded):
    return lightness(decode_srgb(np.clip(encoded, 0, 1)))


def apart(one, other):
    return float(np.sqrt(np.mean((tones(one) - tones(other)) ** 2)))


@pytest.fixture(scope="module")
def mugs():
    return Pipeline(picture("mugs-on-the-stall"))


SIX = {"kind": "six", "red": 55, "yellow": 80, "green": 30, "cyan": 60, "blue": 35, "magenta": 20}
TONE = {"contrast": 25, "levels": {"black": 9, "middle": 1.1, "white": 246}}


@pytest.mark.parametrize(
    ("mix", "base"),
    [
        ({"base": {"kind": "film", "filter": "red"}, "lifts": {"blue": -1.2}}, "red filter"),
        ({"base": SIX}, "six colours"),
    ],
)
def test_the_recipe_of_a_print_is_found(mugs, mix, base):
    recipe = from_document({"mix": mix, "tone": TONE})
    print_ = mugs.codes(recipe) / np.float32(255)
    found = read([Pair(mugs.source, print_)])
    assert base in found.base
    assert apart(mugs.encoded(found.recipe), print_) < 0.5
    other = Pipeline(picture("first-lift", 600))
    assert apart(other.encoded(found.recipe), other.encoded(recipe)) < 1.0
    assert found.explains > 0.97
    assert found.plain > 2
    assert max(found.low, found.middle, found.high) < 0.5


def test_a_print_that_was_cropped_turned_and_enlarged_is_read_too(mugs):
    recipe = from_document({"mix": {"lifts": {"red": 1.0, "blue": -1.0}}, "tone": TONE})
    print_ = mugs.encoded(recipe)
    height, width = print_.shape
    turn = cv2.getRotationMatrix2D((width / 2, height / 2), 1.2, 1.5)
    large = cv2.warpAffine(print_, turn, (width, height), flags=cv2.INTER_CUBIC)[40:-40, 60:-30]
    found = read([Pair(mugs.source, large)])
    assert apart(mugs.encoded(found.recipe), print_) < 1.0
    there = found.there[0].mean()
    assert there == pytest.approx((height - 80) * (width - 90) / 1.5**2 / height / width, abs=0.06)


def test_a_range_that_one_picture_lacks_is_read_in_another():
    """A picture with reds alone cannot tell the blue lift; with a second one it is known."""
    whole = picture("bunting", 600)
    recipe = from_document({"mix": {"lifts": {"red": 0.8, "blue": -1.4}}, "tone": {"contrast": 15}})
    fog = picture("valley-fog", 600)
    alone = read([Pair(fog, Pipeline(fog).encoded(recipe))])
    assert "magenta" in alone.unsure
    assert alone.recipe.mix.lifts.magenta == 0
    assert any("could not be read" in note for note in alone.notes())
    both = read([Pair(one, Pipeline(one).encoded(recipe)) for one in (fog, whole)])
    assert both.unsure == ()
    assert both.recipe.mix.lifts.blue == pytest.approx(-1.4, abs=0.3)
    assert len(both.prints) == 2
    assert apart(Pipeline(whole).encoded(both.recipe), Pipeline(whole).encoded(recipe)) < 0.7


def test_dark_corners_become_falloff_and_are_told(mugs):
    print_ = mugs.encoded(from_document({"tone": TONE, "finish": {"falloff": {"amount": -40}}}))
    found = read([Pair(mugs.source, print_)])
    assert found.falloff < -0.1
    assert found.recipe.finish.falloff.amount < -15
    assert any("stops darker in the print" in note for note in found.notes())
    assert apart(mugs.encoded(found.recipe), print_) < 1.5


@pytest.mark.parametrize("candidate", first_candidates()[:3], ids=lambda one: one.kind)
def test_the_fits_derivatives_are_those_of_its_errors(candidate):
    """Against differences, away from where a number cannot move both ways."""
    generator = np.random.default_rng(2)
    count = 400
    rgb = generator.uniform(0.05, 0.9, (count, 3))
    ranges, columns = generator.random((count, 8)), generator.normal(0, 0.3, (count, 2))
    points = Points(rgb, ranges, columns, generator.uniform(5, 95, count))
    known = np.array([True, True, False] * 3)[:8]
    fitter = _Fitter(candidate, points, known, None)
    x = fitter.start + generator.uniform(0.01, 0.03, len(fitter.start))
    x[-len(fitter.knots) :] *= 0.9 / x[-len(fitter.knots) :].sum()
    found = fitter.slopes(x)
    for k in range(len(x)):
        step = np.zeros(len(x))
        step[k] = 2e-3
        by_steps = (fitter.errors(x + step) - fitter.errors(x - step)) / 4e-3
        off = np.abs(found[:, k] - by_steps)
        assert np.quantile(off[:count], 0.9) < 0.02 * np.abs(by_steps).max() + 0.02, k
        assert off[count:].max() < 0.01 * np.abs(by_steps[count:]).max() + 1e-6, k


@pytest.mark.parametrize("candidate", first_candidates()[:4], ids=lambda one: one.kind)
def test_the_fits_tones_are_those_of_the_formulae(candidate):
    """Compiled loops against NumPy, and SciPy's curve."""
    generator = np.random.default_rng(4)
    rgb, moves = generator.uniform(0, 1.1, (300, 3)), generator.normal(0, 1, (300, 10))
    points = Points(rgb, moves[:, :8], moves[:, 8:], np.zeros(300))
    lifts, strengths = generator.normal(0, 0.3, 8), np.array([0.2, -0.1])
    knots, heights = np.array([0, 0.2, 0.5, 0.9, 1]), np.array([0.03, 0.1, 0.6, 0.6, 0.97])
    fitted = Fitted(candidate, candidate.start, lifts, strengths, knots, heights)
    rest, columns = candidate.columns(rgb)
    value = np.maximum(rest + columns @ candidate.start, 0)
    light = decode_srgb(value) if candidate.encoded else value
    stops = np.log2(light + FLOOR) + moves @ np.concatenate([lifts, strengths])
    codes = np.clip(encode_srgb(np.maximum(np.exp2(stops) - FLOOR, 0)), 0, 1)
    wanted = tones(PchipInterpolator(knots, heights)(codes))
    assert np.abs(fitted.tones(points) - wanted).max() < 0.02


def test_what_is_no_number_or_out_of_range_has_a_tone():
    found = tones_of([[np.nan, -1, 0], [0.5, 1, np.inf]])
    assert found == pytest.approx(np.array([[0, 0, 0], [tones(0.5), 100, 100]]), abs=1e-3)


def test_another_subject_is_refused(mugs):
    other = Pipeline(picture("first-lift")).encoded(REST)
    with pytest.raises(ReadingError, match="use it for its look instead"):
        read([Pair(mugs.source, other)])
    with pytest.raises(ReadingError, match="1 to 8"):
        read([])


def test_a_print_is_laid_where_it_belongs(mugs):
    own = mugs.encoded(REST)
    shifted = own[30:, 50:]
    laid = aligned(own, shifted)
    inside = np.zeros(own.shape, bool)
    inside[40:-10, 60:-10] = True
    assert np.abs(laid.grey - own)[inside].mean() < 0.002
    assert not laid.there[:30].any()
    assert not laid.there[:, :50].any()
    assert aligned(own, np.full((200, 300), 0.5, np.float32)) is None


def test_the_points_of_a_picture_are_found_once(mugs):
    codes = (mugs.encoded(REST) * 255).astype(np.uint8)
    found = features(codes, 500, 0.015)
    assert features(codes.copy(), 500, 0.015) is found
    assert len(features(codes, 400, 0.015).points) < len(found.points)
    codes[0, 0] ^= 1
    assert features(codes, 500, 0.015) is not found
    with pytest.raises(ValueError, match="read-only"):
        found.points[0] = 0


@pytest.mark.parametrize(
    "candidate", first_candidates(), ids=lambda one: str(one.document or one.kind)
)
def test_a_base_weighs_as_the_core_does(candidate):
    """The fit's own formulae against the core's kernels, for any weights."""
    weights = candidate.start * 0.9 + 0.03
    rgb = colours(400)[0].astype(np.float64)
    document = candidate.base(weights)
    exact = [round(100 * float(one), 1) / 100 for one in weights]
    rest, columns = candidate.columns(rgb)
    light = rest + columns @ np.array(exact)
    if candidate.encoded:
        light = decode_srgb(np.maximum(light, 0))
    base = from_document({"mix": {"base": document}}).mix.base
    own = base_grey(rgb[None].astype(np.float32), base)[0]
    assert np.abs(encode_srgb(np.maximum(light, 0)) - encode_srgb(np.maximum(own, 0))).max() < 1e-3


def test_the_film_itself_is_the_nearest():
    from oatmeal.core.mix.film import expose
    from oatmeal.core.recipe import Film

    weights = np.array(expose(Film(kind="film", filter="orange")).weights)
    assert films_near(weights[:2])[0].document["filter"] == "orange"
    assert isinstance(films_near(weights[:2])[0], Candidate)


@settings(max_examples=25, deadline=None)
@given(st.lists(st.floats(0.02, 0.3), min_size=5, max_size=9), st.floats(0, 0.1))
def test_a_curve_becomes_settings_that_stand_for_it(steps, low):
    heights = low + np.cumsum(steps) / sum(steps) * (1 - low)
    knots = np.linspace(0, 1, len(steps) + 1)
    heights = np.concatenate([[low], heights])
    share = np.ones(64) / 64
    tone = scale_of(knots, heights, share)
    made = from_document({"tone": tone}).tone
    place = np.linspace(0, 1, 101)
    off = tones(transfer(place, made)) - tones(PchipInterpolator(knots, heights)(place))
    assert np.sqrt((off**2).mean()) < 0.5


def test_settings_stand_for_a_curve_best_where_the_picture_has_its_tones():
    knots = np.linspace(0, 1, 7)
    heights = np.array([0.05, 0.1, 0.34, 0.42, 0.7, 0.74, 0.95])
    tones_at = np.linspace(0, 1, 64)
    dark, light = (
        np.exp(-(((tones_at - 0.2) / 0.12) ** 2)),
        np.exp(-(((tones_at - 0.8) / 0.12) ** 2)),
    )
    off = {}
    for name, share in (("dark", dark), ("light", light)):
        made = from_document({"tone": scale_of(knots, heights, share, off=99)}).tone
        errors = tones(transfer(tones_at, made)) - tones(
            PchipInterpolator(knots, heights)(tones_at)
        )
        off[name] = [np.sqrt(np.average(errors**2, weights=weight)) for weight in (dark, light)]
    assert off["dark"][0] < 0.6 * off["light"][0]
    assert off["light"][1] < 0.6 * off["dark"][1]


def test_a_look_comes_near_and_tears_nothing(mugs):
    """Tones come at least a third nearer; the curve's slopes stay between a half and two."""
    share = np.linspace(0.001, 0.999, 300)
    target = Pipeline(picture("valley-fog")).encoded(REST)
    look = look_of(target)
    found = matched(mugs, look, 70)
    before, after = (
        np.abs(np.quantile(tones(one), share) - np.quantile(tones(target), share)).mean()
        for one in (mugs.encoded(REST), mugs.encoded(found))
    )
    assert after < 0.67 * before
    x, y = _curve(look_of(mugs.encoded(REST)).tones, look.tones, 0.7)
    slopes = np.diff(y) / np.diff(x)
    assert slopes[1:-1].min() > 0.49
    assert slopes.max() < 2.01
    nothing = matched(mugs, look, 0)
    assert apart(mugs.encoded(nothing), mugs.encoded(REST)) < 1.0


def test_a_look_leaves_the_mix_alone(mugs):
    mix = from_document({"mix": {"base": SIX, "lifts": {"red": 0.7}}}).mix
    found = matched(mugs, look_of(Pipeline(picture("night-burner")).encoded(REST)), 70, mix)
    assert found.mix == mix
    assert found.tone != REST.tone
