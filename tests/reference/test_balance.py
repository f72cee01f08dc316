"""Balance against OpenCV's own decolorisation, over open photographs that packages carry."""

import cv2
import numpy as np
import pytest
import skimage.data
from samples import linear_of, of_scikit_learn

from oatmeal.core.colour import decode_srgb, encode_srgb, lightness, ranges
from oatmeal.core.picture import reduced
from oatmeal.core.recipe import REST
from oatmeal.core.seeing.balance import Balance, cielab, contrast_ratio


@pytest.fixture(scope="module")
def photographs():
    """The colour photographs inside the wheels of scikit-image and scikit-learn."""
    names = ("astronaut", "chelsea", "coffee", "colorwheel", "hubble_deep_field",
             "immunohistochemistry", "retina", "rocket")  # fmt: skip
    found = {name: getattr(skimage.data, name)()[..., :3] for name in names}
    for name in ("china.jpg", "flower.jpg"):
        found[name] = of_scikit_learn(name)
    return {name: linear_of(codes) for name, codes in found.items()}


def test_contrast_is_kept_better_than_by_luminance_and_decolor(photographs):
    """Mean CCPR (Lu, Xu and Jia 2012) at strength 100 over the same pairs."""
    ratios, changes = [], []
    for rgb in photographs.values():
        work = Balance(rgb, REST)
        found = work.find(100.0)
        lifts = np.array([found.lifts[name] for name in ranges.NAMES])
        small = encode_srgb(np.clip(reduced(rgb, 110), 0, 1))
        codes = (small[..., ::-1] * 255).round().astype(np.uint8)
        decolor = cv2.decolor(np.ascontiguousarray(codes))[0].reshape(-1)
        by_decolor = contrast_ratio(
            work.lab, lightness(decode_srgb(decolor / 255)), work.first, work.second
        )
        ratios.append((work.ratio(lifts), work.ratio(np.zeros(8)), by_decolor))
        changes.append(np.abs(work.lightness(lifts)[0] - work.plain).mean())
    ours, plain, decolored = np.mean(ratios, axis=0)
    assert ours >= 0.860
    assert ours >= plain + 0.02
    assert ours >= decolored + 0.02
    assert np.mean(changes) <= 4
    assert max(changes) <= 6


def test_the_same_picture_gets_the_same_lifts_and_strength_scales_them(photographs):
    rgb = photographs["flower.jpg"]
    one, two = (Balance(rgb, REST).find(100.0) for _ in range(2))
    assert one == two
    half = Balance(rgb, REST).find(50.0)
    for name, stops in one.lifts.items():
        assert half.lifts[name] == pytest.approx(stops / 2, abs=0.011)
    assert not any(Balance(rgb, REST).find(0.0).lifts.values())


def test_the_gradient_is_right(photographs):
    """Against finite differences."""
    work = Balance(photographs["coffee"], REST)
    generator = np.random.default_rng(4)
    for _ in range(3):
        lifts = generator.uniform(-0.8, 0.8, 8)
        cost, gradient = work._cost(lifts)
        step = 1e-5
        for place in range(8):
            moved = lifts.copy()
            moved[place] += step
            assert (work._cost(moved)[0] - cost) / step == pytest.approx(gradient[place], abs=2e-3)


def test_a_picture_without_colour_is_left_alone():
    greys = np.repeat(np.linspace(0, 1, 3000, dtype=np.float32).reshape(50, 60, 1), 3, axis=2)
    found = Balance(greys, REST).find(100.0)
    assert not any(found.lifts.values())
    assert "nothing to part" in found.words


def test_cielab_equals_scikit_image():
    """CIE 015:2018 by scikit-image, from encoded sRGB."""
    import skimage.color

    codes = skimage.data.astronaut()[::8, ::8]
    ours = cielab(decode_srgb(codes / 255))
    assert np.abs(ours - skimage.color.rgb2lab(codes)).max() < 0.1
