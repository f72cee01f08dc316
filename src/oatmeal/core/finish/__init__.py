"""Finish: from a toned grey to what is printed and saved, in floating point to the very end.

Sharpening for the medium and quantising are here; what the Finish step itself will do comes between
reducing to the wanted size and both.
"""

from oatmeal.core.finish.quantising import quantised
from oatmeal.core.finish.sharpening import MEDIA, sharpened

__all__ = ["MEDIA", "quantised", "sharpened"]
