"""Grain: it keeps light, and is the same at every size."""

import numpy as np
import pytest
from printed import finish, flat, star

from oatmeal.core.colour import (
    decode_srgb,
    lightness,
)
from oatmeal.core.finish import (
    grain,
)
from oatmeal.core.picture import ArrayPicture, Window
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe.finish import Grain


@pytest.mark.parametrize(("amount", "roughness", "most"), [(50, 0, 0.05), (100, 100, 0.2)])
@pytest.mark.parametrize("size", [0.5, 4.0])
def test_grain_keeps_the_mean_of_the_light(amount, roughness, most, size):
    shape = (900, 900)
    made = grain.field(
        Grain(amount=amount, size=3 * min(size / 2.7, 1.0), roughness=roughness),
        Window(0, 0, 900, 900), shape, 5,
    )  # fmt: skip
    for u in (0.02, 0.1, 0.25, 0.5, 0.75, 0.95):
        settings = Grain(amount=amount, size=1, roughness=roughness)
        grained = grain.grained(np.full(shape, u, np.float32), settings, made)
        moved = float(lightness(decode_srgb(grained.astype(float)).mean())) - float(star(u))
        assert abs(moved) <= most


def test_grain_is_as_strong_as_it_says_and_none_in_black_and_white():
    settings = Grain(amount=100, size=3, roughness=0)
    made = grain.field(settings, Window(0, 0, 2000, 2000), (500, 500), 5)
    assert made[0].std() == pytest.approx(made[1], rel=0.05)
    spread = {
        u: grain.grained(np.full((500, 500), u, np.float32), settings, made).std()
        for u in (0.0, 0.25, 0.5, 0.75, 1.0)
    }
    assert spread[0.0] == spread[1.0] == 0
    assert spread[0.5] == pytest.approx(0.12, rel=0.08)
    assert spread[0.5] > spread[0.25]
    assert spread[0.5] > spread[0.75]


def test_grain_of_a_proxy_is_that_of_the_reduced_export():
    settings = {"amount": 50, "size": 0.6, "roughness": 30}
    large = Pipeline(flat(0.5, (2400, 2400))).encoded(finish(grain=settings))
    reduced = large.reshape(600, 4, 600, 4)
    light = decode_srgb(reduced.astype(float)).mean(axis=(1, 3))
    proxied = Pipeline(flat(0.5, (600, 600))).encoded(finish(grain=settings))
    assert star(proxied).std() == pytest.approx(lightness(light).std(), rel=0.05)


def test_every_photograph_has_grain_of_its_own_and_nothing_repeats():
    wanted = finish(grain={"amount": 60, "size": 2})
    one, other = (Pipeline(ArrayPicture(flat(0.5), seed=seed)).encoded(wanted) for seed in (1, 2))
    assert abs(np.corrcoef(one.ravel(), other.ravel())[0, 1]) < 0.05
    shuffled = Pipeline(ArrayPicture(flat(0.5), seed=1)).encoded(
        finish(grain={"amount": 60, "size": 2, "seed": 2})
    )
    assert abs(np.corrcoef(one.ravel(), shuffled.ravel())[0, 1]) < 0.05
    wide = Pipeline(ArrayPicture(flat(0.5, (64, 2048)), seed=1)).encoded(
        finish(grain={"amount": 60, "size": 1})
    )
    spectrum = np.abs(np.fft.fft(wide - wide.mean(), axis=1)) ** 2
    alike = np.fft.ifft(spectrum, axis=1).real.mean(axis=0)
    assert np.abs(alike[40:1000]).max() < 0.08 * alike[0]
