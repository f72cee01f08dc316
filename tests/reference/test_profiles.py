"""Colour profiles against LittleCMS, through Pillow (another binding than the one we use)."""

import io

import imagecodecs
import numpy as np
import pytest
import tifffile
from PIL import Image, ImageCms
from samples import codes, colour_science

from oatmeal.core.colour import decode_srgb, encode_srgb
from oatmeal.photofile import profiles
from oatmeal.photofile.decode import decode

#: Primaries of a wide working space with a 2.2 power curve, and of P3 (SMPTE EG 432-1), with D65.
WIDE = (0.64, 0.33, 1.0, 0.21, 0.71, 1.0, 0.15, 0.06, 1.0)
P3 = (0.680, 0.320, 1.0, 0.265, 0.690, 1.0, 0.150, 0.060, 1.0)
D65 = (0.3127, 0.3290, 1.0)


def profile(primaries, gamma=2.2):
    return imagecodecs.cms_profile("rgb", whitepoint=D65, primaries=primaries, gamma=gamma)


def test_grey_profile_is_read_back_as_the_srgb_curve():
    """ICC.1:2022 section 10.18 and IEC 61966-2-1."""
    grey = ImageCms.ImageCmsProfile(io.BytesIO(profiles.grey_profile()))
    assert grey.profile.xcolor_space.strip() == "GRAY"
    ramp = Image.fromarray(np.arange(256, dtype=np.uint8)[None], "L")
    transform = ImageCms.buildTransform(grey, ImageCms.createProfile("sRGB"), "L", "RGB", 1)
    seen = np.asarray(ImageCms.applyTransform(ramp, transform)).astype(int)
    assert np.abs(seen - np.arange(256)[None, :, None]).max() <= 1


@pytest.mark.parametrize("primaries", [WIDE, P3])
def test_wide_gamut_is_honoured_at_16_bits(tmp_path, primaries):
    """Within one 16-bit code of LittleCMS, and near the colorimetric definition of the profile.

    The definition is met less closely, since a profile rounds its matrix to 16 bits.
    """
    pixels = codes(bits=16)
    path = tmp_path / "wide.tif"
    tifffile.imwrite(path, pixels, photometric="rgb", iccprofile=profile(primaries))
    picture = decode(path)
    encoded = encode_srgb(picture.linear(0, 0, picture.width, picture.height))

    expected = encode_srgb((pixels / 65535) ** 2.2 @ matrix(primaries).T)
    inside = ((expected > 0.05) & (expected < 1)).all(axis=-1)
    assert np.abs(encoded - expected)[inside].max() < 5e-4

    by_lcms = imagecodecs.cms_transform(
        pixels,
        profile(primaries),
        profiles.srgb_profile(),
        colorspace="rgb",
        outcolorspace="rgb",
        outdtype="uint16",
        intent=1,
        flags=0x0100,  # cmsFLAGS_NOOPTIMIZE: the exact chain, not a coarse grid of it
    )
    assert np.abs(encoded * 65535 - by_lcms)[inside].max() <= 1.5  # each rounds once


def matrix(primaries):
    """Linear RGB of these primaries to linear sRGB (SMPTE RP 177 derivation), by colour-science."""
    xy = np.array(primaries).reshape(3, 3)[:, :2]
    white = np.array(D65[:2])
    to_xyz = colour_science().normalised_primary_matrix(xy, white)
    srgb = colour_science().normalised_primary_matrix(
        np.array([[0.64, 0.33], [0.30, 0.60], [0.15, 0.06]]), white
    )
    return np.linalg.inv(srgb) @ to_xyz


def test_an_srgb_profile_reads_like_none():
    tables = profiles.linear_tables(profiles.srgb_profile(), np.uint8)
    assert np.array_equal(tables, decode_srgb(np.arange(256) / 255).astype(np.float32))


def test_damaged_profile_is_said_and_the_picture_kept(tmp_path):
    path = tmp_path / "odd.tif"
    tifffile.imwrite(path, codes(), photometric="rgb", iccprofile=b"no profile at all" * 20)
    picture = decode(path)
    assert "profile" in picture.notes[0]
    assert picture.tables is not None
