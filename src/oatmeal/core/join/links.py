"""Which frames show the same things: features, and pairs of frames that match.

References
----------
D. G. Lowe, "Distinctive Image Features from Scale-Invariant Keypoints", IJCV 60 (2004);
R. Arandjelović, A. Zisserman, "Three things everyone should know to improve object retrieval",
CVPR 2012 (RootSIFT); D. Barath et al., "MAGSAC++, a fast, reliable and accurate robust estimator",
CVPR 2020; M. Brown, D. G. Lowe, "Automatic Panoramic Image Stitching using Invariant Features",
IJCV 74 (2007), section 3.2 for when a pair is true.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import encode_srgb, luminance
from oatmeal.core.join.frames import Frame, Points

#: Points of a frame; of many frames a first look takes fewer.
POINTS: Final = 2500
FIRST_POINTS: Final = 600

#: Up to so many frames every pair is looked at closely.
_FEW: Final = 4

#: Distance of the best match over the second best, at most.
RATIO: Final = 0.8

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
class Features:
    """Points ``(n, 2)`` in pixels of the frame, the most marked first, and descriptors."""

    points: Points
    descriptors: NDArray[np.float32]

    def first(self, count: int) -> Features:
        """The most marked ones."""
        return Features(self.points[:count], self.descriptors[:count])


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
    found, described = cv2.SIFT.create(count, contrastThreshold=0.02).detectAndCompute(
        codes, np.empty(0, np.uint8)
    )
    if described is None or not len(found):
        return Features(np.empty((0, 2)), np.empty((0, 128), np.float32))
    marked = np.argsort([-one.response for one in found], kind="stable")
    points = np.array([found[i].pt for i in marked])
    described = described[marked] / (described[marked].sum(axis=1, keepdims=True) + 1e-9)
    return Features((points + 0.5) / frame.scale - 0.5, np.sqrt(described).astype(np.float32))


def matched(one: Features, other: Features, ratio: float = RATIO) -> tuple[Any, Any]:
    """Indices of features that are each other's nearest, and clearly so."""
    if min(len(one.points), len(other.points)) < 3:
        return np.empty(0, int), np.empty(0, int)
    alike = one.descriptors @ other.descriptors.T  # their length is one
    nearest = alike.argmax(axis=1)
    back = alike.argmax(axis=0)
    two = -np.partition(-alike, 1, axis=1)[:, :2]
    apart = np.sqrt(np.maximum(2 - 2 * two, 0))
    clear = apart[:, 0] < ratio * np.maximum(apart[:, 1], 1e-6)
    index = np.flatnonzero(clear & (back[nearest] == np.arange(len(nearest))))
    return index, nearest[index]


def linked(frames: tuple[Frame, Frame], seen: tuple[Features, Features]) -> Link | None:
    """How two frames match; None where they do not at all."""
    first, second = matched(*seen)
    if len(first) < 12:
        return None
    one, other = seen[0].points[first], seen[1].points[second]
    homography, inside = cv2.findHomography(
        one, other, cv2.USAC_MAGSAC, _FIT_PX / frames[0].scale, maxIters=5000, confidence=0.9999
    )
    if homography is None or abs(np.linalg.det(homography)) < 1e-12:
        return None
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
    counts = {(i, j): len(matched(few[i], few[j])[0]) for i, j in pairs}
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
