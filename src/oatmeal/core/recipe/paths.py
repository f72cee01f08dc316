"""Paths drawn on a picture, as short strings: whole steps of a ten-thousandth of its longer side.

``"2350 1200 12 -3"`` begins at (0.235, 0.12) of the longer side of the picture as it was taken,
from its upper left corner, and goes on by (0.0012, -0.0003).
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import lru_cache
from typing import Annotated, Final

import numpy as np
from numpy.typing import NDArray
from pydantic import AfterValidator, Field

#: Steps in the longer side.
STEPS: Final = 10_000

#: A path has this many places at the most.
MOST_PLACES: Final = 2000

_PATH: Final = re.compile(r"-?\d{1,5}(?: -?\d{1,5})*", re.ASCII)


@lru_cache(maxsize=4096)  # a drag reads the same paths in every frame
def _known(text: str) -> str:
    numbers = text.count(" ") + 1
    if not _PATH.fullmatch(text) or numbers % 2 or numbers > 2 * MOST_PLACES:
        raise ValueError(
            'a path is pairs of whole numbers, such as "2350 1200 12 -3": where it begins and how '
            "it goes on, in ten-thousandths of the longer side"
        )
    places = np.array(text.split(), dtype=np.int64).reshape(-1, 2).cumsum(axis=0)
    if places.min() < 0 or places.max() > STEPS:
        raise ValueError("a path must stay inside the picture: 0 to 10000 each way")
    return text


Path = Annotated[str, Field(max_length=24_000), AfterValidator(_known)]


def places(path: str) -> NDArray[np.float64]:
    """Places ``(n, 2)`` of a path, in shares of the longer side.

    Examples
    --------
    >>> places("2350 1200 12 -3").tolist()
    [[0.235, 0.12], [0.2362, 0.1197]]
    """
    deltas = np.array(path.split(), dtype=np.float64).reshape(-1, 2)
    return deltas.cumsum(axis=0) / STEPS


def path(points: Sequence[tuple[float, float]]) -> str:
    """The path through places in shares of the longer side.

    Examples
    --------
    >>> path([(0.235, 0.12), (0.2362, 0.1197)])
    '2350 1200 12 -3'
    """
    steps = np.rint(np.asarray(points, dtype=np.float64) * STEPS).astype(np.int64)
    deltas = np.diff(steps, axis=0, prepend=np.zeros((1, 2), dtype=np.int64))
    return " ".join(str(number) for number in deltas.ravel())
