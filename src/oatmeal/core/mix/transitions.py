"""Pixels that an edge crosses, lifted as what they are a mixture of.

Where an edge runs between two colours, the pixels on it are mixtures: of orange cloth and blue sky
some are grey. A lift goes by a pixel's own colour, so that it leaves out the greys between a sky
that it darkens and cloth that it does not, and a bright line stands round the cloth. Here a pixel
whose colour lies on the way between those a step to either side is lifted by as much as a mixture
of both, lifted, differs from the mixture of both as they were. Its own light stays, and so does
whatever has a colour of its own: a berry among leaves is no mixture of them.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.mix import transition_kernels as kernels
from oatmeal.core.recipe import Mix

Plane = NDArray[np.float32]

#: Pixels to either side of one that an edge crosses: of a file's own pixels, whose edges a lens and
#: a sensor have softened, and of a copy's.
STEP_OF_FILE: Final = 3
STEP: Final = 2

#: Distance in OKLab a and b from which two colours are two, and surely are.
APART: Final = (0.06, 0.12)

#: Stops from which a pixel's lift differs from that of a mixture, and surely does. Where the least
#: and the greatest lift lie no further apart, nobody needs to look.
SEEN: Final = (0.3, 0.8)

#: Least weight that a pixel is kept with.
LEAST: Final = 0.02


@dataclass(frozen=True, eq=False)
class Transitions:
    """The pixels of an array that edges cross.

    Attributes
    ----------
    places : int64 (n,)
        Numbers of the pixels in reading order.
    away : int64 (4,)
        From a pixel to the one across an edge, by axes.
    share, weight : float32 (n, 4)
        By axes: of that side in the mixture, and how surely it is one, 0 to 1.
    """

    places: NDArray[np.int64]
    away: NDArray[np.int64]
    share: Plane
    weight: Plane


def step_of(scale: float) -> int:
    """Pixels to either side that are looked at, in a copy with ``scale`` pixels for one."""
    return STEP_OF_FILE if scale >= 1 else STEP


def looked_for(mix: Mix, by_areas: bool) -> bool:
    """True where lifts, those of areas among them, could leave lines at edges."""
    if mix.guard == 0:
        return False
    lifts = [0.0, *mix.lifts.model_dump().values()]
    lifts += [one.lift for one in mix.picked if one.on]
    return by_areas or max(lifts) - min(lifts) > SEEN[0]


def find_transitions(planes: tuple[Plane, Plane, Plane], step: int) -> Transitions:
    """Pixels whose colour lies between those of two that lie ``step`` pixels to either side.

    Both sides go on as they are for a pixel more: fine texture of colours is none of edges.

    Parameters
    ----------
    planes : three float32 (H, W)
        OKLab.
    """
    places, weight, share = kernels.between(planes, step, APART)
    kept = weight.max(axis=1) > LEAST
    width = planes[0].shape[1]
    away = np.array([step * (down * width + across) for down, across in kernels.AXES])
    return Transitions(places[kept], away, share[kept], weight[kept])


def evened(lifted: Plane, base: Plane, found: Transitions) -> Plane:
    """The lifted grey with its edges lifted as mixtures.

    Parameters
    ----------
    lifted, base : float32 (H, W)
        Linear grey with its lifts and without them.
    """
    out = lifted.copy()
    kernels.even(
        lifted.ravel(), base.ravel(), found.places, found.away, found.share, found.weight,
        SEEN, out.ravel(),
    )  # fmt: skip
    return out
