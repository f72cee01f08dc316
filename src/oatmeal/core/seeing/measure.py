"""What can be measured of a finished grey: histogram, zones, clipping and meter readings."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import decode_srgb, encode_srgb, lightness
from oatmeal.core.seeing import kernels
from oatmeal.core.tone import Scale

ZONES = 11

#: Clipped spots smaller than this share of the picture are taken for reflections.
SPOT_SHARE = 0.0002

#: Every how manieth pixel, and row, areas are told from.
_LOOKED_AT: Final = 3

_ROMAN = ("0", "I", "II", "III", "IV", "V", "VI", "VII", "VIII", "IX", "X")


@dataclass(frozen=True)
class Reading:
    """What the meter says of one grey.

    Attributes
    ----------
    lightness : float
        L* (CIE 1976).
    zone : str
        Tenths of L*, with halves, in Roman numerals (common practice).
    code : int
        8-bit code.
    ink : float
        Percent, ``100 * (1 - encoded)``.
    """

    lightness: float
    zone: str
    code: int
    ink: float


def meter(luminance_y: float) -> Reading:
    """Read one grey from its luminance Y (0 to 1; beyond is clipped)."""
    y = min(max(luminance_y, 0.0), 1.0)
    encoded = float(encode_srgb(y))
    star = float(lightness(y))
    return Reading(star, zone_name(star), int(encoded * 255 + 0.5), 100 * (1 - encoded))


def zone_name(lightness_star: float) -> str:
    """Zone of a lightness to the nearest half, such as ``III½``."""
    halves = int(lightness_star / 5 + 0.5)
    return _ROMAN[halves // 2] + ("½" if halves % 2 else "")


@cache
def code_readings() -> tuple[Reading, ...]:
    """The meter's reading for every 8-bit code, 0 to 255."""
    return tuple(meter(float(y)) for y in decode_srgb(np.arange(256) / 255))


@cache
def _zone_of_code() -> NDArray[np.int64]:
    return np.floor(_lightness_of_code() / 10 + 0.5).astype(np.int64)


@cache
def _lightness_of_code() -> NDArray[np.float64]:
    return lightness(decode_srgb(np.arange(256) / 255))


def histogram(codes: NDArray[np.uint8]) -> NDArray[np.int64]:
    """Counts of the 256 codes in a frame."""
    return kernels.counts(codes)


def light_histogram(
    grey: NDArray[np.float32], step: int, scale: Scale, gain: float = 1.0
) -> NDArray[np.int64]:
    """Counts of the 256 codes that a linear grey ``(H, W)`` gets from a scale.

    Of ``step`` rows and columns one is looked at; ``gain`` is a factor on the light first.
    """
    return kernels.light_counts(grey, step, gain, scale.table, scale.top_root)


def zone_shares(counts: NDArray[np.int64]) -> list[float]:
    """Share of the picture in each zone, 0 to X, from a histogram of 256 counts."""
    shares = np.bincount(_zone_of_code(), weights=counts, minlength=ZONES)
    return [float(share) for share in shares / max(1, counts.sum())]


def clipping(counts: NDArray[np.int64], end_codes: tuple[int, int]) -> dict[str, float]:
    """Share of the picture at the low and the high end of the scale.

    Parameters
    ----------
    counts : int64 (256,)
        Histogram of the finished codes.
    end_codes : (low, high)
        The codes at which this scale ends, :attr:`oatmeal.core.tone.Scale.end_codes`.
    """
    low, high = end_codes
    total = max(1, int(counts.sum()))
    return {
        "low": float(counts[: low + 1].sum() / total),
        "high": float(counts[high:].sum() / total),
        "low_code": low,
        "high_code": high,
    }


def clipped_areas(codes: NDArray[np.uint8], high_code: int) -> float:
    """Share of the picture that clips at the high end in areas, not in small spots.

    Spots smaller than :data:`SPOT_SHARE` of the picture are taken for reflections; every third
    pixel is looked at.
    """
    size = -(-codes.shape[0] // _LOOKED_AT) * -(-codes.shape[1] // _LOOKED_AT)
    return float(kernels.in_areas(codes, _LOOKED_AT, high_code, SPOT_SHARE * size) / size)


def tones(codes: NDArray[np.uint8], end_codes: tuple[int, int]) -> dict[str, Any]:
    """Histogram, zone shares, clipping and mean lightness of one frame of 8-bit codes."""
    counts = histogram(codes)
    clipped = clipping(counts, end_codes)
    clipped["areas"] = clipped_areas(codes, end_codes[1]) if clipped["high"] else 0.0
    return {
        "histogram": counts.tolist(),
        "zones": zone_shares(counts),
        "clipping": clipped,
        "mean_lightness": float(counts @ _lightness_of_code() / max(1, counts.sum())),
    }
