"""Base, middle and fine band of a picture, for whatever works on light and keeps local contrast."""

from oatmeal.core.bands.split import SMALL_SIDE, Bands, base_of, find_bands, light_gains, spread

__all__ = ["SMALL_SIDE", "Bands", "base_of", "find_bands", "light_gains", "spread"]
