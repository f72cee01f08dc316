"""How strongly a JPEG was compressed, read from its tables."""

from __future__ import annotations

from pathlib import Path
from typing import Final

from PIL import Image

#: Sum of the chrominance table that quality 50 stands for (ITU-T T.81, annex K, table K.2).
_CHROMA_SUM_AT_50: Final = 5505

#: From this quality a JPEG counts as clean; from the other one down the guard is full.
CLEAN_QUALITY: Final = 92
FULL_GUARD_QUALITY: Final = 88


def chroma_quality(path: Path) -> float | None:
    """Quality, 1 to 100, of a JPEG's colour, as most writers count it; None if there is none.

    The scale is that of the Independent JPEG Group's library, which multiplies the tables of ITU-T
    T.81, annex K.
    """
    try:
        with Image.open(path) as image:
            tables: dict[int, list[int]] = getattr(image, "quantization", {})
    except Exception:  # any damage here has been dealt with by decoding
        return None
    if 1 not in tables:
        return None
    percent = 100 * sum(tables[1]) / _CHROMA_SUM_AT_50
    return (200 - percent) / 2 if percent <= 100 else 5000 / percent


def auto_guard(path: Path) -> float:
    """Strength of the guard, 0 to 1, for a JPEG file; 0 for one without colour tables."""
    quality = chroma_quality(path)
    if quality is None:
        return 0.0
    span = CLEAN_QUALITY - FULL_GUARD_QUALITY
    return min(1.0, max(0.0, (CLEAN_QUALITY - round(quality)) / span))
