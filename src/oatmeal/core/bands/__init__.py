"""Base, middle and fine band of a picture, and what works on light and keeps local contrast."""

from oatmeal.core.bands.light import Moves, move_light
from oatmeal.core.bands.split import (
    SMALL_SIDE,
    Ends,
    base_of,
    find_bands,
    find_ends,
    small_light,
    spread,
)

__all__ = [
    "SMALL_SIDE", "Ends", "Moves", "base_of", "find_bands", "find_ends", "move_light",
    "small_light", "spread",
]  # fmt: skip
