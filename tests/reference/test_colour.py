"""Colour science against published standards and general-purpose libraries."""

import cv2
import numpy as np
import pytest
import skimage.color
from samples import colour_science, colours

from oatmeal.core import colour
from oatmeal.core.colour import kernels
from oatmeal.core.mix import base_grey
from oatmeal.core.recipe import Plain


def test_srgb_transfer_function():
    """IEC 61966-2-1:1999, by colour-science."""
    x = np.linspace(0, 1, 4001)
    assert np.allclose(colour.encode_srgb(x), colour_science().eotf_inverse(x, "sRGB"), atol=1e-6)
    assert np.allclose(colour.decode_srgb(x), colour_science().eotf(x, "sRGB"), atol=1e-6)


def test_srgb_transfer_function_at_the_published_break():
    """IEC 61966-2-1:1999, section 5.2: 0.0031308 meets 0.04045."""
    assert colour.encode_srgb(0.0031308) == pytest.approx(0.04045, abs=1e-5)
    assert colour.decode_srgb(0.04045) == pytest.approx(0.0031308, abs=1e-7)


def test_lightness():
    """CIE 015:2018, section 8.2.1 (CIELAB), by colour-science."""
    y = np.linspace(0, 1, 2001)
    expected = colour_science().lightness(100 * y, method="CIE 1976", Y_n=100)
    assert np.allclose(colour.lightness(y), expected, atol=1e-6)
    assert np.allclose(colour.luminance_of_lightness(colour.lightness(y)), y, atol=1e-12)


def test_luminance_from_linear_values():
    """IEC 61966-2-1 by colour-science; scikit-image's rgb2gray has slightly rounded weights."""
    rgb = colours().astype(np.float64)
    ours = colour.luminance(rgb)
    xyz = colour_science().RGB_to_XYZ(rgb, "sRGB")  # the matrix as the standard rounds it
    assert np.allclose(ours, xyz[..., 1], atol=1e-4)
    assert np.allclose(ours, skimage.color.rgb2gray(rgb), atol=4e-4)
    assert np.allclose(kernels.luminance(rgb.astype(np.float32)), ours, atol=1e-6)


def test_luma_601():
    """ITU-R BT.601-7, section 2.5.1, as OpenCV computes it on encoded values."""
    rgb = colours()
    encoded = colour.encode_srgb(rgb).astype(np.float32)
    expected = cv2.cvtColor(encoded, cv2.COLOR_RGB2GRAY)
    grey = base_grey(rgb, Plain(kind="plain", weighing="luma-601"))
    assert np.allclose(colour.encode_srgb(grey), expected, atol=2e-6)


def test_luma_709():
    """ITU-R BT.709-6, item 3.2, by colour-science."""
    rgb = colours()
    weights = colour_science().WEIGHTS_YCBCR["ITU-R BT.709"]
    expected = colour.encode_srgb(rgb) @ np.array(
        [weights[0], 1 - weights[0] - weights[1], weights[1]]
    )
    grey = base_grey(rgb, Plain(kind="plain", weighing="luma-709"))
    assert np.allclose(colour.encode_srgb(grey), expected, atol=2e-6)


def test_middle_is_hsl_lightness():
    """All six pure colours become 0.5 (common practice, no source); HSL by OpenCV."""
    rgb = colours()
    encoded = colour.encode_srgb(rgb).astype(np.float32)
    hls = cv2.cvtColor(encoded, cv2.COLOR_RGB2HLS)
    grey = base_grey(rgb, Plain(kind="plain", weighing="middle"))
    assert np.allclose(colour.encode_srgb(grey), hls[..., 1], atol=2e-6)


def test_oklab():
    """Ottosson 2020, by colour-science; the published table of pairs has three decimals."""
    rgb = colours().astype(np.float64)
    expected = colour_science().XYZ_to_Oklab(colour_science().RGB_to_XYZ(rgb, "sRGB"))
    assert np.allclose(colour.oklab(rgb), expected, atol=2e-3)
    assert np.allclose(colour.oklab_to_linear(colour.oklab(rgb)), rgb, atol=1e-9)
    published = {
        (0.950, 1.000, 1.089): (1.000, 0.000, 0.000),
        (1.000, 0.000, 0.000): (0.450, 1.236, -0.019),
        (0.000, 1.000, 0.000): (0.922, -0.671, 0.263),
        (0.000, 0.000, 1.000): (0.153, -1.415, -0.449),
    }
    for xyz, lab in published.items():
        linear = colour_science().XYZ_to_RGB(np.array(xyz), "sRGB", apply_cctf_encoding=False)
        assert np.allclose(colour.oklab(linear), lab, atol=3e-3)


def test_hue_and_chroma_of_the_kernel_against_colour_science():
    """OKLCh of the kernel that a drag depends on."""
    rgb = colours()
    lightness, a_axis, b_axis = kernels.colours(rgb)
    hue, chroma = kernels.polar(a_axis, b_axis)
    lab = colour_science().XYZ_to_Oklab(colour_science().RGB_to_XYZ(rgb.astype(np.float64), "sRGB"))
    assert np.allclose(lightness, lab[..., 0], atol=2e-3)
    assert np.allclose(chroma, np.hypot(lab[..., 1], lab[..., 2]), atol=2e-3)
    coloured = chroma > 0.05
    expected = np.degrees(np.arctan2(lab[..., 2], lab[..., 1]))[coloured]
    apart = (hue[coloured] * 0.1 - expected + 180) % 360 - 180
    assert np.abs(apart).max() < 0.6
