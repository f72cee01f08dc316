"""Mix: the grey that each colour becomes."""

from oatmeal.core.guard import Analysis, analyse
from oatmeal.core.mix.lifting import (
    at_pixels,
    base_grey,
    lifted,
    moves,
    peak,
    picked_table,
    reach,
)

__all__ = [
    "Analysis", "analyse", "at_pixels", "base_grey", "lifted", "moves", "peak",
    "picked_table", "reach",
]  # fmt: skip
