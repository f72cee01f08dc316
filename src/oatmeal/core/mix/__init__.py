"""Mix: the grey that each colour becomes."""

from oatmeal.core.mix.lifting import (
    Analysis,
    analyse,
    at_pixels,
    base_grey,
    lifted,
    moves,
    peak,
    picked_lab,
    picked_table,
    reach,
)

__all__ = [
    "Analysis", "analyse", "at_pixels", "base_grey", "lifted", "moves", "peak", "picked_lab",
    "picked_table", "reach",
]  # fmt: skip
