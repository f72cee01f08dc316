"""The kernels' shared arithmetic."""

import cv2
import numpy as np
import pytest

from oatmeal.core.colour import decode_srgb, kernels
from oatmeal.core.mix import kernels as mixing
from oatmeal.core.tone import kernels as toning


def exact(linear):
    """IEC 61966-2-1, continued to light of any size, as numpy computes it."""
    size = np.abs(linear.astype(np.float64))
    curve = np.where(size > 0.0031308, 1.055 * size ** (1 / 2.4) - 0.055, 12.92 * size)
    return np.copysign(curve, linear)


def test_the_srgb_curve_is_that_of_the_standard():
    inside = np.linspace(0, 1, 300_001, dtype=np.float32)[None]
    assert np.abs(kernels.encoded(inside) - exact(inside)).max() < 6e-7
    beyond = np.concatenate([-np.exp2(np.arange(-12, 5, 1e-4)), np.exp2(np.arange(-12, 5, 1e-4))])
    grey = np.repeat(beyond.astype(np.float32)[None, :, None], 3, axis=2)
    linear = mixing.weighted(grey, (0.0, 1.0, 0.0), 0.0, encoded=True)
    back = np.maximum(grey[..., 1], 0)
    assert np.abs(linear / np.maximum(back, 1) - back / np.maximum(back, 1)).max() < 3e-6


def test_black_and_white_stay_what_they_are():
    ends = np.array([[0, 1]], np.float32)
    assert np.array_equal(kernels.encoded(ends), ends)
    assert np.array_equal(kernels.decoded(ends), ends)


def test_the_inverse_of_the_srgb_curve_is_that_of_the_standard():
    encoded = np.linspace(-0.1, 1, 300_001, dtype=np.float32)[None]
    wanted = np.maximum(decode_srgb(encoded.astype(np.float64)), 0)
    found = kernels.decoded(encoded)
    assert np.abs(found - wanted).max() < 6e-7
    assert np.abs(found / np.maximum(wanted, 1e-5) - 1)[wanted > 1e-5].max() < 2e-6
    beyond = np.linspace(0.9, 3, 2001, dtype=np.float32)[None]
    assert kernels.decoded(beyond) == pytest.approx(
        decode_srgb(beyond.astype(np.float64)), rel=2e-6
    )


@pytest.mark.parametrize("size", [1, 2, 5, 300])
def test_a_table_is_read_between_its_values(size):
    """numpy's own linear interpolation."""
    table = np.random.default_rng(size).random(size + 1).astype(np.float32)
    roots = np.linspace(0, 1.2, 777, dtype=np.float32)[None]
    found = toning.through_scale(roots**2, 1.0, table, 1.0)
    wanted = np.interp(roots, np.linspace(0, 1, size + 1), table)
    assert found == pytest.approx(wanted, abs=2e-5)


def test_what_is_no_number_reads_nothing_beside_a_table():
    grey = np.array([[np.nan, np.inf, 0.25, 1e30]], np.float32)
    table = np.linspace(0, 1, 4097, dtype=np.float32)
    found = toning.through_scale(grey, 1.0, table, 1.0)
    assert np.isnan(found[0, 0])
    assert np.allclose(found[0, 1:], [1, 0.5, 1])


def test_every_finite_half_becomes_the_same_single():
    """IEEE 754: numpy's own conversion, which is exact."""
    halves = np.arange(65536, dtype=np.uint16).view(np.float16).reshape(64, 256, 4)[..., :3]
    finite = np.where(np.isfinite(halves), halves, np.float16(1))
    assert np.array_equal(kernels.from_half(finite), finite.astype(np.float32))
    assert np.signbit(kernels.from_half(np.full((1, 1, 3), -0.0, np.float16))).all()


def test_a_single_becomes_the_nearest_half():
    """IEEE 754: numpy's own conversion; every half, what lies between two, and what is beyond."""
    halves = np.arange(0x7B53, dtype=np.uint16).view(np.float16).astype(np.float32)  # to 60,000
    half_way = (halves[:-1] + halves[1:]) / 2
    about = np.concatenate([np.nextafter(half_way, way, dtype=np.float32) for way in (-1e9, 1e9)])
    sizes = np.concatenate([halves, half_way, about])
    single = np.concatenate([sizes, -sizes])
    single = single[: len(single) // 12 * 12].reshape(-1, 4, 3)
    found = kernels.to_half(single)
    assert np.array_equal(found.view(np.uint16), single.astype(np.float16).view(np.uint16))
    beyond = np.array([[[1e30, -70000, 60000]]], np.float32)
    assert kernels.to_half(beyond).tolist() == [[[60000, -60000, 60000]]]


FEWER = [
    ((400, 600), (137, 205)), ((90, 64), (30, 16)), ((401, 603), (401, 600)), ((9, 5), (4, 5)),
]  # fmt: skip


@pytest.mark.parametrize("dtype", [np.uint8, np.uint16])
@pytest.mark.parametrize(("old", "new"), FEWER)
def test_codes_are_averaged_as_opencv_averages_their_light(dtype, old, new):
    count = np.iinfo(dtype).max + 1
    table = decode_srgb(np.arange(count) / (count - 1)).astype(np.float32)
    codes = np.random.default_rng(3).integers(0, count, (*old, 3)).astype(dtype)
    light = kernels.look_up(codes, table)
    expected = cv2.resize(light, new[::-1], interpolation=cv2.INTER_AREA)
    assert np.abs(kernels.averaged(codes, table, *new[::-1]) - expected).max() < 1e-6


@pytest.mark.parametrize(("old", "new"), [*FEWER, ((7, 9), (1, 1)), ((5, 8), (5, 8))])
def test_a_plane_is_averaged_as_opencv_averages_it(old, new):
    plane = np.random.default_rng(4).random(old[::-1], dtype=np.float32).T
    expected = cv2.resize(plane, new[::-1], interpolation=cv2.INTER_AREA)
    assert np.abs(kernels.plane_averaged(plane, *new[::-1]) - expected).max() < 1e-6
