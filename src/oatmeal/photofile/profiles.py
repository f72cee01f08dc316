"""Colour profiles: what the codes of a file mean in linear light, and the grey profile we embed.

LittleCMS does all conversions. For profiles of the matrix kind (nearly all photographs) its result
is read off once into tables, which gives the same numbers at the speed of a look-up.
"""

from __future__ import annotations

import struct
from functools import cache
from typing import Any, Final

import imagecodecs
import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import decode_srgb

#: White and primaries of sRGB as chromaticities with Y (IEC 61966-2-1).
_D65: Final = (0.3127, 0.3290, 1.0)
_SRGB_PRIMARIES: Final = (0.64, 0.33, 1.0, 0.30, 0.60, 1.0, 0.15, 0.06, 1.0)
_WIDE_PRIMARIES: Final = (0.708, 0.292, 1.0, 0.170, 0.797, 1.0, 0.131, 0.046, 1.0)
_RELATIVE: Final = 1  # rendering intent: media-relative colorimetric (ICC.1)

#: Tables stand for a profile when they come this close to LittleCMS, in linear light.
_TABLE_TOLERANCE: Final = 1e-4
#: A profile this close to sRGB is taken as sRGB itself.
_SRGB_TOLERANCE: Final = 3e-4


class BadProfile(ValueError):
    """The profile is damaged or does not fit the picture."""


@cache
def linear_profile() -> bytes:
    """The profile of linear light with sRGB's primaries, what all conversions lead to."""
    profile: bytes = imagecodecs.cms_profile(
        "rgb", whitepoint=_D65, primaries=_SRGB_PRIMARIES, gamma=1.0
    )
    return profile


@cache
def srgb_profile() -> bytes:
    """The sRGB profile embedded in neutral RGB files."""
    profile: bytes = imagecodecs.cms_profile("srgb")
    return profile


@cache
def wide_profile() -> bytes:
    """Primaries of ITU-R BT.2020 with sRGB's transfer curve, for what sRGB cannot hold."""
    curve = np.rint(decode_srgb(np.linspace(0, 1, 4096)) * 65535).astype(np.uint16)
    profile: bytes = imagecodecs.cms_profile(
        "rgb", whitepoint=_D65, primaries=_WIDE_PRIMARIES, transferfunction=curve
    )
    return profile


def to_linear(codes: NDArray[Any], profile: bytes, *, grey: bool = False) -> NDArray[np.float32]:
    """Linear sRGB of codes under an ICC profile, by LittleCMS in floating point.

    Parameters
    ----------
    codes : uint8 or uint16, (H, W, 3), or (H, W) where ``grey``
    profile : bytes
        ICC profile of the codes.

    Returns
    -------
    float32 (H, W, 3)
        Unbounded: colours outside sRGB have components below 0 or above 1.

    Raises
    ------
    BadProfile
        If LittleCMS cannot use the profile for such codes.
    """
    wide = codes.astype(np.uint16) * np.uint16(257) if codes.dtype == np.uint8 else codes
    try:
        linear = imagecodecs.cms_transform(
            np.ascontiguousarray(wide),
            profile,
            linear_profile(),
            colorspace="gray" if grey else "rgb",
            outcolorspace="rgb",
            outdtype="float32",
            intent=_RELATIVE,
        )
    except Exception as error:  # the binding raises types of its own for each cause
        raise BadProfile("the colour profile cannot be used") from error
    return np.asarray(linear, dtype=np.float32)


def linear_tables(
    profile: bytes | None, dtype: type[np.uint8] | type[np.uint16], *, grey: bool = False
) -> NDArray[np.float32] | None:
    """Tables from codes to linear sRGB, for :func:`oatmeal.core.colour.kernels.look_up`.

    Returns
    -------
    float32 (N,) or (3, N, 3), or None
        One table for all channels, or one contribution per channel; None when the profile mixes
        channels in a way that no tables can hold.

    Raises
    ------
    BadProfile
    """
    count = int(np.iinfo(dtype).max) + 1
    srgb = decode_srgb(np.arange(count) / (count - 1)).astype(np.float32)
    if profile is None:
        return srgb
    ramp = np.arange(count, dtype=dtype)
    if grey:
        single = to_linear(ramp[None], profile, grey=True)[0, :, 1]
        return srgb if np.abs(single - srgb).max() < _SRGB_TOLERANCE else single
    tables = np.empty((3, count, 3), dtype=np.float32)
    for channel in range(3):
        alone = np.zeros((1, count, 3), dtype=dtype)
        alone[0, :, channel] = ramp
        tables[channel] = to_linear(alone, profile)[0]
    tables -= tables[0, :1] * np.float32(2 / 3)  # black is counted three times over
    trial = np.random.default_rng(11).integers(0, count, (1, 2048, 3)).astype(dtype)
    exact = to_linear(trial, profile)
    summed = sum(tables[channel, trial[..., channel]] for channel in range(3))
    if np.abs(summed - exact).max() > _TABLE_TOLERANCE:
        return None
    if np.abs(srgb[trial] - exact).max() < _SRGB_TOLERANCE:
        return srgb
    return tables


def _signature_block(tags: list[tuple[bytes, bytes]]) -> bytes:
    """Tag table and data of an ICC profile, each tag on a multiple of four bytes."""
    offset = 128 + 4 + 12 * len(tags)
    table, data = struct.pack(">I", len(tags)), b""
    for signature, content in tags:
        table += struct.pack(">4sII", signature, offset + len(data), len(content))
        data += content + b"\0" * (-len(content) % 4)
    return table + data


def _text(text: str) -> bytes:
    encoded = text.encode("utf-16-be")
    return struct.pack(">4sIII2s2sII", b"mluc", 0, 1, 12, b"en", b"US", len(encoded), 28) + encoded


def _fixed(*values: float) -> bytes:
    return b"".join(struct.pack(">i", round(value * 65536)) for value in values)


@cache
def grey_profile() -> bytes:
    """A single-channel profile with the sRGB transfer curve, exact and under 400 bytes long.

    References
    ----------
    ICC.1:2022 (profile version 4.4), sections 7.2 (header), 8.3.4 (monochrome display profile)
    and 10.18 (parametricCurveType, function type 3, with the constants of IEC 61966-2-1).
    """
    curve = b"para" + struct.pack(">IHH", 0, 3, 0)
    curve += _fixed(2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045)
    d50 = (0.9642, 1.0, 0.8249)
    body = _signature_block(
        [
            (b"desc", _text("Grey, sRGB curve")),
            (b"cprt", _text("No copyright, use freely")),
            (b"wtpt", b"XYZ \0\0\0\0" + _fixed(*d50)),
            (b"kTRC", curve),
        ]
    )
    size = 128 + len(body)
    header = struct.pack(">I4s4s4s4s4s", size, b"", b"\x04\x40\0\0", b"mntr", b"GRAY", b"XYZ ")
    header += struct.pack(">6H4s4s", 2026, 1, 1, 0, 0, 0, b"acsp", b"")
    header += struct.pack(">I4s4sQI", 0, b"", b"", 0, _RELATIVE) + _fixed(*d50) + b"\0" * 48
    return header + body
