"""Reading: the recipe that makes a finished grey picture of a colour one, or only its look."""

from oatmeal.core.reading.aligning import Aligned, aligned
from oatmeal.core.reading.looks import Look, look_of, matched
from oatmeal.core.reading.prints import MOST_PAIRS, NOT_THE_SAME, Pair, Reading, ReadingError, read

__all__ = [
    "MOST_PAIRS", "NOT_THE_SAME", "Aligned", "Look", "Pair", "Reading", "ReadingError", "aligned",
    "look_of", "matched", "read",
]  # fmt: skip
