"""Join: frames that overlap become one wide photograph, in linear light and 16 bits."""

from oatmeal.core.join.choices import BORDERS, PROJECTIONS, Choices
from oatmeal.core.join.frames import Frame, JoinError
from oatmeal.core.join.joining import MOST_FRAMES, Found, Laid, find, lay

__all__ = [
    "BORDERS", "MOST_FRAMES", "PROJECTIONS", "Choices", "Found", "Frame", "JoinError", "Laid",
    "find", "lay",
]  # fmt: skip
