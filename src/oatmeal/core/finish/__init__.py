"""Finish: from a toned grey to what is printed and saved, in floating point to the very end.

Sharpness works on the file's own pixels (:mod:`.stages`). At the output's size come glow, falloff
and burned edges, sharpening for the medium, grain, what lies on the print, toning and kept colour,
and quantising (:mod:`.printing`).
"""

from oatmeal.core.finish.mount import mounted, widths
from oatmeal.core.finish.printing import Printing, coded
from oatmeal.core.finish.quantising import quantised
from oatmeal.core.finish.sharpening import looks_around, sharpened
from oatmeal.core.finish.toning import palette

__all__ = [
    "Printing",
    "coded",
    "looks_around",
    "mounted",
    "palette",
    "quantised",
    "sharpened",
    "widths",
]
