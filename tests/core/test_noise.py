"""Noise: measured in the file, taken away in light and in colour, and no more than that."""

import cv2
import numpy as np
import pytest
from samples import DEMO, linear_of

from oatmeal.core.colour import lightness
from oatmeal.core.noise import NONE, SIDE, Noise, even_terms, measured_array
from oatmeal.core.picture import ArrayPicture, reduced
from oatmeal.core.pipeline import WHOLE_SIDE, Pipeline, Region, render
from oatmeal.core.pipeline.render import small_of
from oatmeal.core.prepare import noise_kernels as kernels
from oatmeal.core.prepare.noise import needed
from oatmeal.core.recipe import REST, from_document

#: Gain and floor of one photosite, and what white balance multiplies the channels by.
GAIN, FLOOR = 1 / 1000, 0.002**2
BALANCE = np.array([2.0, 1.0, 1.6])


def picture(name, size):
    codes = cv2.imread(str(DEMO / name), cv2.IMREAD_COLOR)[..., ::-1]
    light = linear_of(codes)
    return np.ascontiguousarray(cv2.resize(light, size, interpolation=cv2.INTER_AREA))


CLEAN = picture("mugs-on-the-stall.jpg", (600, 400))
KNOWN = Noise(tuple(GAIN * BALANCE), tuple(FLOOR * BALANCE**2))


def noisy(clean, seed=3):
    spread = np.sqrt(np.maximum(clean, 0) * KNOWN.gain + np.array(KNOWN.floor))
    grain = np.random.default_rng(seed).normal(size=clean.shape)
    return (clean + grain * spread).astype(np.float32)


NOISY = noisy(CLEAN)


def taking(light, colour, **more):
    return from_document({"prepare": {"noise": {"light": light, "colour": colour}}, **more})


def error(one, other):
    """Root mean square of lightness, which is what a print shows."""
    return float(np.sqrt(np.mean((lightness(np.clip(one, 0, 1)) - lightness(other)) ** 2)))


def test_the_noise_of_a_file_is_measured():
    """Of a small picture within 15 % at three tones of all channels."""
    found = measured_array(NOISY)
    for light in (0.02, 0.1, 0.5):
        told = np.sqrt(np.array(found.gain) * light + found.floor)
        true = np.sqrt(np.array(KNOWN.gain) * light + KNOWN.floor)
        assert told / true == pytest.approx(1, abs=0.15)


def test_noise_that_a_camera_smoothed_is_told_by_its_spectrum():
    """Taken for white, by its finest grain, hardly any of it would go."""
    grain = cv2.GaussianBlur(noisy(CLEAN) - CLEAN, (0, 0), 0.7)
    smooth = (CLEAN + 2 * grain).astype(np.float32)
    assert measured_array(NOISY).spectrum is None
    found = measured_array(smooth)
    spectra = found.deviations()
    assert spectra[:, :2, 1].min() > 2
    assert np.median(spectra[:, 5:, 5:]) < 0.75
    white = Noise(found.gain, found.floor)
    truth = Pipeline(CLEAN).mixed(REST)
    left = [
        error(
            Pipeline(ArrayPicture(smooth, noise_of_file=lambda known=known: known)).mixed(
                taking(*amounts)
            ),
            truth,
        )
        for known, amounts in ((white, (0, 0)), (white, (100, 100)), (found, (100, 100)))
    ]
    assert left[1] > 0.9 * left[0]
    assert left[2] < 0.85 * left[0]
    assert found.deviation(0.2, (1, 0, 0)) > 1.5 * white.deviation(0.2, (1, 0, 0))


def test_a_copy_holds_the_lower_frequencies_of_the_file():
    spectrum = tuple(
        tuple(tuple(float(8 - k - n / 2) for n in range(8)) for k in range(8)) for _ in range(3)
    )
    known = Noise(KNOWN.gain, KNOWN.floor, spectrum)
    half = known.reduced(0.5)
    assert half.gain == pytest.approx([gain / 4 for gain in known.gain])
    spectra = np.array(half.spectrum)
    assert spectra[0, 4, 6] == pytest.approx(spectrum[0][2][3])
    assert spectra[1, 7, 0] == pytest.approx(8 - 3.5)
    assert known.reduced(1).spectrum == spectrum


def test_a_flat_or_a_tiny_picture_has_none():
    assert measured_array(np.full((64, 64, 3), 0.2, np.float32)).gain == pytest.approx((0,) * 3)
    assert measured_array(np.full((3, 5, 3), 0.2, np.float32)) == NONE


def test_noise_is_made_even_as_it_was_published():
    """Mäkitalo and Foi 2013, eq. 3 for gain 1: ``2 sqrt(z + 3/8 + sigma^2)``, here over gains."""
    gain, offset, scale = even_terms(KNOWN)
    light = np.linspace(0.001, 1, 50)
    for channel in range(3):
        counts = light / KNOWN.gain[channel]
        spread = KNOWN.floor[channel] / KNOWN.gain[channel] ** 2
        published = 2 * np.sqrt(counts + 3 / 8 + spread)
        ours = scale[channel] * np.sqrt(gain[channel] * light + offset[channel])
        assert ours == pytest.approx(published)
    flat = np.full((200, 200, 3), 0.1, np.float32)
    planes = kernels.evened(noisy(flat), KNOWN)[:, SIDE:-SIDE, SIDE:-SIDE]
    assert planes.std(axis=(1, 2)) == pytest.approx([1, 1, 1], abs=0.03)


def test_at_rest_the_very_array_is_handed_on_and_a_step_that_is_off_does_nothing():
    work = Pipeline(NOISY)
    assert work.get("denoised", REST) is work.source
    assert work.get("denoised", taking(0, 0)) is work.source
    off = from_document({"prepare": {"on": False, "noise": {"light": 80}}})
    assert work.get("denoised", off) is work.source


def test_grain_goes_and_the_picture_stays():
    work = Pipeline(ArrayPicture(NOISY, noise_of_file=lambda: KNOWN))
    greys = [work.mixed(taking(amount, amount)) for amount in (0, 50, 100)]
    errors = [error(grey, Pipeline(CLEAN).mixed(REST)) for grey in greys]
    assert errors[0] > 1.35 * errors[1] > 1.6 * errors[2]
    assert errors[2] < 0.62 * errors[0]
    assert greys[2].mean() == pytest.approx(Pipeline(CLEAN).mixed(REST).mean(), rel=2e-3)


def test_colour_noise_shows_behind_a_red_filter_and_goes_by_itself():
    red = {"mix": {"base": {"kind": "film", "filter": "red"}, "guard": 0}}
    work = Pipeline(ArrayPicture(NOISY, noise_of_file=lambda: KNOWN))
    truth = Pipeline(CLEAN).mixed(from_document(red))
    rest, colour, both = (
        error(work.mixed(taking(*amounts, **red)), truth)
        for amounts in ((0, 0), (0, 100), (90, 100))
    )
    assert colour < 0.8 * rest
    assert both < 0.6 * rest
    plain = error(work.mixed(taking(0, 100)), Pipeline(CLEAN).mixed(REST))
    assert plain > 0.8 * error(work.mixed(REST), Pipeline(CLEAN).mixed(REST))


def test_the_transform_equals_scipy_s():
    """Every block thresholded with SciPy's orthonormal DCT, weighted by one over what it keeps."""
    from scipy.fft import dctn, idctn

    side, step = SIDE, kernels.STEP
    plane = np.random.default_rng(5).normal(0, 2, (24, 28)).astype(np.float32)
    padded = np.pad(plane, side, mode="reflect")
    total, weights = np.zeros(padded.shape), np.zeros(padded.shape)
    above = 2.7 - 0.1 * np.arange(side)[:, None] - 0.05 * np.arange(side)
    for y in range(step, plane.shape[0] + side, step):
        for x in range(1, plane.shape[1] + side):
            block = dctn(padded[y : y + side, x : x + side], norm="ortho")
            kept = np.abs(block) > above
            kept[0, 0] = True
            weight = 1 / kept.sum()
            total[y : y + side, x : x + side] += weight * idctn(block * kept, norm="ortho")
            weights[y : y + side, x : x + side] += weight
    wanted = (total / np.maximum(weights, 1e-9))[side:-side, side:-side]
    kernels.cleaned(padded, above.astype(np.float32), plane)
    assert np.abs(plane - wanted).max() < 1e-4


def test_colours_beyond_the_gamut_stay_and_a_little_taken_changes_little():
    wide = NOISY.copy()
    wide[:50] = (-0.1, 0.4, 1.3)
    work = Pipeline(ArrayPicture(wide, noise_of_file=lambda: KNOWN))
    taken = work.get("denoised", taking(100, 100))
    assert taken[20, 200] == pytest.approx((-0.1, 0.4, 1.3), abs=0.01)
    little = work.get("denoised", taking(0.01, 0))
    assert np.abs(little - wide).max() < 1e-4


def test_a_part_alone_is_that_part_of_the_whole():
    recipe = taking(70, 90, tone={"clarity": 30, "exposure": 0.3})
    source = ArrayPicture(NOISY, noise_of_file=lambda: KNOWN)
    whole = render(source, recipe, np.uint16).astype(int)
    part = Region(source, (131, 77, 300, 200), recipe, small_of(source, WHOLE_SIDE))
    off = part.codes(recipe, np.uint16).astype(int) - whole[77:277, 131:431]
    assert np.abs(off).max() <= 2


def test_a_reduced_picture_has_less_noise_left_to_take():
    half = reduced(NOISY, 300)
    recipe = taking(100, 100)
    there = Pipeline(ArrayPicture(half, scale=0.5, noise_of_file=lambda: KNOWN)).encoded(recipe)
    whole = reduced(
        Pipeline(ArrayPicture(NOISY, noise_of_file=lambda: KNOWN)).prepared(recipe), 300
    )
    assert 255 * np.abs(there - Pipeline(whole).encoded(REST)).mean() < 2
    as_if_full = Pipeline(ArrayPicture(half, scale=1, noise_of_file=lambda: KNOWN)).encoded(recipe)
    assert np.abs(as_if_full - there).mean() > 0.002  # it would smear what is left


def test_the_level_says_how_much_counts_as_noise():
    def settings(level):
        return from_document({"prepare": {"noise": {"light": 100, "colour": 100, "level": level}}})

    work = Pipeline(ArrayPicture(NOISY, noise_of_file=lambda: KNOWN))
    truth = Pipeline(CLEAN).mixed(REST)
    low, right = (error(work.mixed(settings(level)), truth) for level in (30, 100))
    assert right < low
    rough = [float(np.abs(np.diff(work.mixed(settings(level)))).mean()) for level in (100, 300)]
    assert rough[1] < rough[0]


def test_what_a_picture_needs_grows_with_its_noise():
    amounts = [needed(KNOWN.scaled(factor)) for factor in (0, 0.15, 0.6, 2)]
    assert amounts[0].light == amounts[0].colour == 0
    assert [one.light for one in amounts] == sorted(one.light for one in amounts)
    assert amounts[3].colour >= amounts[3].light > 50
    # what is left of the grey's noise is then unseen
    kept = KNOWN.scaled(2 * (1 - amounts[3].light / 100)).deviation(0.18, (0.2126, 0.7152, 0.0722))
    assert lightness(0.18 + kept) - lightness(0.18) <= 0.65
