"""Colour science: transfer functions, luminance, lightness and the OKLab colour space.

Two kinds of values are kept apart by name throughout: *linear* light, where twice the number is
twice the light, and *encoded* values, which follow the sRGB transfer function.
"""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

#: Luminance of linear red, green and blue (IEC 61966-2-1, the Y row of its matrix; ITU-R BT.709).
LUMINANCE_WEIGHTS: Final = (0.2126, 0.7152, 0.0722)

#: Linear sRGB to CIE XYZ (IEC 61966-2-1, equation 3).
SRGB_TO_XYZ: Final = np.array(
    [[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]]
)

#: Linear sRGB to cone-like LMS, and the cube roots of LMS to OKLab (Ottosson 2020, as revised
#: 2021-01-25: https://bottosson.github.io/posts/oklab/).
SRGB_TO_LMS: Final = np.array(
    [
        [0.4122214708, 0.5363325363, 0.0514459929],
        [0.2119034982, 0.6806995451, 0.1073969566],
        [0.0883024619, 0.2817188376, 0.6299787005],
    ]
)
LMS_TO_OKLAB: Final = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)


_LMS_TO_SRGB: Final = np.linalg.inv(SRGB_TO_LMS)
_OKLAB_TO_LMS: Final = np.linalg.inv(LMS_TO_OKLAB)


def encode_srgb(linear: ArrayLike) -> NDArray[np.float64]:
    """Encode linear light with the sRGB transfer function.

    Parameters
    ----------
    linear : array_like
        Linear light, white is 1.0. Values above 1 follow the same power; negative ones are
        mirrored, so that wide-gamut colours survive.

    Returns
    -------
    ndarray of float64
        Encoded values of the same shape.

    References
    ----------
    IEC 61966-2-1:1999, section 5.2; the mirrored negative branch follows IEC 61966-2-2 (scRGB).

    Examples
    --------
    >>> float(encode_srgb(0.5).round(4))
    0.7354
    """
    linear = np.asarray(linear, dtype=np.float64)
    size = np.abs(linear)
    encoded = np.where(
        size <= 0.0031308, 12.92 * size, 1.055 * np.maximum(size, 0.0031308) ** (1 / 2.4) - 0.055
    )
    return np.asarray(np.copysign(encoded, linear))


def decode_srgb(encoded: ArrayLike) -> NDArray[np.float64]:
    """Decode sRGB-encoded values to linear light; the inverse of :func:`encode_srgb`.

    References
    ----------
    IEC 61966-2-1:1999, section 5.2.

    Examples
    --------
    >>> float(decode_srgb(0.5).round(4))
    0.214
    """
    encoded = np.asarray(encoded, dtype=np.float64)
    size = np.abs(encoded)
    linear = np.where(size <= 0.04045, size / 12.92, ((size + 0.055) / 1.055) ** 2.4)
    return np.asarray(np.copysign(linear, encoded))


def luminance(rgb_linear: ArrayLike) -> NDArray[np.float64]:
    """Luminance Y of linear sRGB colours.

    Parameters
    ----------
    rgb_linear : array_like, shape (..., 3)
        Linear light with BT.709 primaries and D65 white.

    Returns
    -------
    ndarray of float64, shape (...)
        Y, 1.0 for white; may be slightly negative for colours outside the gamut.

    References
    ----------
    IEC 61966-2-1:1999, equation 3 (the Y row).
    """
    return np.asarray(np.asarray(rgb_linear, dtype=np.float64) @ np.array(LUMINANCE_WEIGHTS))


def lightness(luminance_y: ArrayLike) -> NDArray[np.float64]:
    """CIE 1976 lightness L*, 0 to 100 for Y from 0 to 1.

    References
    ----------
    CIE 015:2018 Colorimetry, section 8.2.1 (CIELAB).

    Examples
    --------
    >>> float(lightness(0.18).round(2))
    49.5
    """
    y = np.asarray(luminance_y, dtype=np.float64)
    root = np.where(y > (6 / 29) ** 3, np.cbrt(y), (841 / 108) * y + 4 / 29)
    return np.asarray(116 * root - 16)


def luminance_of_lightness(lightness_star: ArrayLike) -> NDArray[np.float64]:
    """Luminance Y of a lightness L*; the inverse of :func:`lightness` (CIE 015:2018)."""
    root = (np.asarray(lightness_star, dtype=np.float64) + 16) / 116
    return np.asarray(np.where(root > 6 / 29, root**3, (root - 4 / 29) * 108 / 841))


def oklab(rgb_linear: ArrayLike) -> NDArray[np.float64]:
    """OKLab coordinates of linear sRGB colours.

    Parameters
    ----------
    rgb_linear : array_like, shape (..., 3)

    Returns
    -------
    ndarray of float64, shape (..., 3)
        L (0 to 1), a and b.

    References
    ----------
    Björn Ottosson, "A perceptual color space for image processing", 2020.
    """
    lms = np.asarray(rgb_linear, dtype=np.float64) @ SRGB_TO_LMS.T
    return np.asarray(np.cbrt(lms) @ LMS_TO_OKLAB.T)


def lab_of_hex(hex_colour: str) -> NDArray[np.float64]:
    """OKLab of ``#rrggbb``."""
    codes = [int(hex_colour[place : place + 2], 16) for place in (1, 3, 5)]
    return oklab(decode_srgb(np.array(codes) / 255))


def oklab_to_linear(lab: ArrayLike) -> NDArray[np.float64]:
    """Linear sRGB of OKLab coordinates; the inverse of :func:`oklab`."""
    lms = (np.asarray(lab, dtype=np.float64) @ _OKLAB_TO_LMS.T) ** 3
    return np.asarray(lms @ _LMS_TO_SRGB.T)


def hue_and_chroma(
    lab: NDArray[np.floating],
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Hue in degrees (0 to 360) and chroma of OKLab coordinates of shape (..., 3)."""
    hue = np.degrees(np.arctan2(lab[..., 2], lab[..., 1])) % 360.0
    return np.asarray(hue), np.asarray(np.hypot(lab[..., 1], lab[..., 2]))
