"""Which frames show the same things: features, and pairs of frames that match.

References
----------
D. Barath et al., "MAGSAC++, a fast, reliable and accurate robust estimator",
CVPR 2020; M. Brown, D. G. Lowe, "Automatic Panoramic Image Stitching using Invariant Features",
IJCV 74 (2007), section 3.2 for when a pair is true.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import encode_srgb, luminance
from oatmeal.core.features import Features, matched
from oatmeal.core.features import features as marked
from oatmeal.core.join.frames import Frame, Points

#: Points of a frame; of many frames a first look takes fewer.
POINTS: Final = 2500
FIRST_POINTS: Final = 600

#: Up to so many frames every pair is looked at closely.
_FEW: Final = 4

#: Distance of the best match over the second best, at most.
RATIO: Final = 0.8

#: Contrast from which a point is one.
_CONTRAST: Final = 0.02

#: How well a match must fit, in pixels of the small copy.
_FIT_PX: Final = 2.0

#: Matches that fit, at least, for a pair to be true; and the least certainty (Brown, Lowe).
_LEAST: Final = 20
_CERTAIN: Final = 1.0

#: A pair that covers more than this is one view twice.
SAME_VIEW: Final = 0.9

#: In the first look a pair is worth a closer one from so many matches on.
_PROMISING: Final = 8


@dataclass(frozen=True, eq=False)
class Link:
    """Two frames that overlap: matching places ``(n, 2)``, in pixels of each.

    Attributes
    ----------
    homography : float64 (3, 3)
        From the first to the second.
    certainty : float
        From 1 on the pair is true.
    overlap : float
        Share of the first that the second shows too.
    """

    homography: Points
    one: Points
    other: Points
    certainty: float
    overlap: float

    @property
    def count(self) -> int:
        return len(self.one)

    @property
    def holds(self) -> bool:
        return self.count >= _LEAST and self.certainty >= _CERTAIN


Links = dict[tuple[int, int], Link]


def features(frame: Frame, count: int = POINTS) -> Features:
    """RootSIFT features of a frame's small copy."""
    grey = encode_srgb(np.clip(luminance(frame.small), 0, 1))
    top = float(np.quantile(grey, 0.999)) or 1.0  # a frame taken dark has as many points
    codes = np.clip(grey * (255 / max(top, 0.05)), 0, 255).astype(np.uint8)
    return marked(codes, count, _CONTRAST).placed(frame.scale)


def linked(frames: tuple[Frame, Frame], seen: tuple[Features, Features]) -> Link | None:
    """How two frames match; None where they do not at all."""
    first, second = matched(*seen, RATIO)
    if len(first) < 12:
        return None
    one, other = seen[0].points[first], seen[1].points[second]
    fitted, inside = cv2.findHomography(
        one, other, cv2.USAC_MAGSAC, _FIT_PX / frames[0].scale, maxIters=5000, confidence=0.9999
    )
    if fitted is None or abs(np.linalg.det(fitted)) < 1e-12:
        return None
    homography = np.asarray(fitted, dtype=np.float64)
    kept = inside.ravel().astype(bool)
    shown = _inside(one, homography, frames[1]).sum()
    grid = np.stack(
        np.meshgrid(
            np.linspace(0, frames[0].width, 30),
            np.linspace(0, frames[0].height, 30),
        ),
        axis=-1,
    ).reshape(-1, 2)
    overlap = float(_inside(grid, homography, frames[1]).mean())
    certainty = float(kept.sum() / (8 + 0.3 * shown))
    return Link(homography, one[kept], other[kept], certainty, overlap)


def _inside(points: Points, homography: Points, frame: Frame) -> NDArray[np.bool_]:
    there = cv2.perspectiveTransform(points[None].astype(np.float64), homography)[0]
    inside: NDArray[np.bool_] = (
        (there[:, 0] > 0)
        & (there[:, 1] > 0)
        & (there[:, 0] < frame.width)
        & (there[:, 1] < frame.height)
    )
    return inside


def links(frames: Sequence[Frame], seen: Sequence[Features]) -> Links:
    """Every pair of frames that holds.

    Of more than four frames only those pairs are looked at closely that a few points promise, and
    each frame's three likeliest.
    """
    pairs = list(combinations(range(len(frames)), 2))
    if len(frames) > _FEW:
        pairs = _promising(pairs, seen)
    found = {}
    for i, j in pairs:
        link = linked((frames[i], frames[j]), (seen[i], seen[j]))
        if link is not None and link.holds:
            found[i, j] = link
    return found


def _promising(pairs: list[tuple[int, int]], seen: Sequence[Features]) -> list[tuple[int, int]]:
    few = [one.first(FIRST_POINTS) for one in seen]
    counts = {(i, j): len(matched(few[i], few[j], RATIO)[0]) for i, j in pairs}
    wanted = {pair for pair, count in counts.items() if count >= _PROMISING}
    for frame in range(len(seen)):
        own = sorted((pair for pair in pairs if frame in pair), key=lambda pair: -counts[pair])
        wanted.update(own[:3])
    return sorted(wanted)


def groups(count: int, found: Links) -> list[list[int]]:
    """Frames that hang together, the most first."""
    of = list(range(count))

    def root(one: int) -> int:
        while of[one] != one:
            one = of[one]
        return one

    for i, j in found:
        of[root(i)] = root(j)
    together: dict[int, list[int]] = {}
    for one in range(count):
        together.setdefault(root(one), []).append(one)
    return sorted(together.values(), key=lambda group: (-len(group), group))


def tree(found: Links) -> list[tuple[int, int]]:
    """The strongest links that reach every frame once (Kruskal's maximum spanning tree)."""
    of: dict[int, int] = {}

    def root(one: int) -> int:
        while of.setdefault(one, one) != one:
            one = of[one]
        return one

    kept = []
    for (i, j), _ in sorted(found.items(), key=lambda entry: (-entry[1].count, entry[0])):
        if root(i) != root(j):
            of[root(i)] = root(j)
            kept.append((i, j))
    return kept
