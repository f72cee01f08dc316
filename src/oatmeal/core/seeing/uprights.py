"""Finding what should stand upright or lie level in a picture.

Straight edges are found with the detector of R. Grompone von Gioi et al., "LSD: A Fast Line Segment
Detector with a False Detection Control", IEEE TPAMI 32 (2010), in OpenCV. The direction that most
of their length shares is found by random sampling (M. A. Fischler and R. C. Bolles, "Random Sample
Consensus", Communications of the ACM 24, 1981), with a fixed seed: the same picture gives the same
answer.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from oatmeal.core import colour
from oatmeal.core.colour import kernels
from oatmeal.core.picture import reduced
from oatmeal.core.prepare.crop import largest, outline
from oatmeal.core.prepare.lines import normals
from oatmeal.core.prepare.setright import SetRight, roll
from oatmeal.core.recipe import Frame, Lens
from oatmeal.core.recipe.frame import HALF_DIAGONAL_MM, Line

Segments = NDArray[np.float64]

#: Longer side of the picture that edges are found in, and their shortest share of it.
_SIDE: Final = 1400
_SHORTEST: Final = 0.02

#: Degrees: how far level is looked for, its resolution, how near an edge must be to agree.
_LEVEL_REACH: Final = 12.0
_LEVEL_SIGMA: Final = 0.35
_AGREES: Final = 1.0

#: Share of the length of all edges looked at, and length in picture sides, that must agree.
_LEAST_SHARE: Final = 0.32
_LEAST_LENGTH: Final = 1.0
_LEVEL_LEAST_LENGTH: Final = 1.9
_LEVEL_LEAST_SHARE: Final = 0.33

#: Degrees from upright within which an edge may be a leaning upright; how far a camera may look up.
_UPRIGHT_REACH: Final = 25.0
_STEEPEST: Final = 40.0

_TRIES: Final = 500
_SEED: Final = 20

#: Degrees that a picture is turned by at the most: a photographer holds a camera better than that.
_MOST_TURNED: Final = 10.0

#: Share of the picture that must be left of it once it is set right.
_LEAST_KEPT: Final = 0.5

#: Lines that are proposed, of those that agree; their shortest share of the longer side, and
#: degrees within which they agree well.
_SHOWN: Final = 3
_SHORTEST_SHOWN: Final = 0.05
_NEAR: Final = 0.25


@dataclass(frozen=True)
class FoundFrame:
    """What was found: values of the frame, none where nothing is sure, and a sentence."""

    frame: dict[str, Any] = field(default_factory=dict)
    words: str = ""


def edges(rgb_linear: NDArray[np.float32]) -> Segments:
    """Straight edges ``(n, 2, 2)`` in shares of the picture's sides."""
    small = np.ascontiguousarray(reduced(rgb_linear, _SIDE))
    grey = np.clip(colour.encode_srgb(np.clip(kernels.luminance(small), 0, 1)) * 255, 0, 255)
    found = cv2.createLineSegmentDetector(cv2.LSD_REFINE_STD).detect(grey.astype(np.uint8))[0]
    if found is None:
        return np.empty((0, 2, 2))
    ends = found.reshape(-1, 2, 2).astype(np.float64) + 0.5
    height, width = grey.shape
    long = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1) > _SHORTEST * max(width, height)
    return np.asarray(ends[long] / (width, height))


def find_level(
    rgb_linear: NDArray[np.float32], size: tuple[int, int], frame: Frame, lens: Lens
) -> FoundFrame:
    """The angle at which the picture stands upright or, where no uprights tell it, lies level.

    Edges that should be level run aslant in a perspective; those that should be upright tell the
    angle also where the camera looked up.

    Parameters
    ----------
    rgb_linear : float32 (H, W, 3)
        The whole picture, upright and uncropped, at any size.
    size : (width, height)
        Of the file.
    """
    found = edges(rgb_linear)
    standing = _uprights(found, size, frame, lens)
    if standing.frame:
        return FoundFrame({"angle": standing.frame["angle"]}, standing.words)
    flat = SetRight(*size, frame.model_copy(update={"angle": 0.0}), lens)
    ends = flat.canvas(found * size)
    along = ends[:, 1] - ends[:, 0]
    lengths = np.hypot(along[:, 0], along[:, 1])
    degrees = np.rad2deg(np.arctan2(along[:, 1], along[:, 0]))
    off = (degrees + 45) % 90 - 45
    near = np.abs(off) < _LEVEL_REACH
    off, lengths = off[near], np.minimum(lengths[near], 0.3 * max(size))
    if not len(off):
        return FoundFrame(words="No straight edges that could be level were found.")
    tries = np.arange(-_LEVEL_REACH, _LEVEL_REACH + 0.01, 0.05)
    votes = np.exp(-0.5 * ((tries[:, None] - off) / _LEVEL_SIGMA) ** 2) @ lengths
    best = tries[int(votes.argmax())]
    for _ in range(5):
        weight = lengths * np.exp(-0.5 * ((off - best) / _LEVEL_SIGMA) ** 2)
        best = float((weight * off).sum() / weight.sum())
    agree = np.abs(off - best) < _AGREES
    share = float(lengths[agree].sum() / lengths.sum())
    length = float(lengths[agree].sum() / max(size))
    told = f"{100 * share:.0f} % of the straight edges agree"
    if share < _LEVEL_LEAST_SHARE or length < _LEVEL_LEAST_LENGTH:
        return FoundFrame(words=f"Not sure enough, so nothing was changed: only {told}.")
    return FoundFrame({"angle": round(-best, 2)}, told)


def find_uprights(
    rgb_linear: NDArray[np.float32], size: tuple[int, int], frame: Frame, lens: Lens
) -> FoundFrame:
    """Plumb lines along edges that agree on what is upright, and the frame set right by them."""
    return _uprights(edges(rgb_linear), size, frame, lens)


def _uprights(found: Segments, size: tuple[int, int], frame: Frame, lens: Lens) -> FoundFrame:
    plain = frame.model_copy(update={"angle": 0.0, "tip": 0.0, "swing": 0.0})
    flat = SetRight(*size, plain, lens)
    ends = flat.bend.freed(found * size - flat.middle) @ flat.quarters[:2, :2].T
    along = ends[:, 1] - ends[:, 0]
    leaning = np.abs(np.rad2deg(np.arctan2(along[:, 0], along[:, 1])))
    near = np.minimum(leaning, 180 - leaning) < _UPRIGHT_REACH
    found, ends = found[near], ends[near]
    if len(found) < 4:
        return FoundFrame(words="Too few straight edges that could be upright were found.")
    lengths = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
    focal_px = frame.focal / HALF_DIAGONAL_MM * flat.bend.half_diagonal
    up = _common(ends, lengths, focal_px, max(size))
    if up is None:
        return FoundFrame(words="The straight edges agree on no upright, so nothing was changed.")
    agree = _away(ends, up, focal_px) < _AGREES
    share = float(lengths[agree].sum() / lengths.sum())
    length = float(lengths[agree].sum() / size[1])
    told = f"{100 * share:.0f} % of the edges that could be upright agree"
    if share < _LEAST_SHARE or length < _LEAST_LENGTH or agree.sum() < 2:
        return FoundFrame(words=f"Not sure enough, so nothing was changed: only {told}.")
    away = _away(ends, up, focal_px)[agree]
    if (lengths[agree] >= _SHORTEST_SHOWN * max(size)).sum() < 2:
        return FoundFrame(words="Not sure enough, so nothing was changed: only short edges agree.")
    lines = _shown(
        found[agree], ends[agree], lengths[agree] * np.exp(-((away / _NEAR) ** 2)), max(size)
    )
    angle = math.degrees(math.atan2(up[0], up[1]))
    up = roll(angle) @ up
    tip = -math.degrees(math.atan2(up[2], up[1]))
    set_right = plain.model_copy(update={"angle": angle, "tip": tip})
    if abs(angle) > _MOST_TURNED or _kept(size, set_right, lens) < _LEAST_KEPT:
        return FoundFrame(words="Nothing was changed: too little of the picture would be left.")
    shown = [[list(end) for end in line] for line in lines]
    return FoundFrame({"plumb": shown, "angle": round(angle, 2), "tip": round(tip, 2)}, told)


def _kept(size: tuple[int, int], frame: Frame, lens: Lens) -> float:
    """Share of a picture's area that the largest frame of its ratio holds."""
    width, height = size
    whole, now = (
        largest(outline(SetRight(*size, one, lens)), width / height)
        for one in (frame.model_copy(update={"angle": 0.0, "tip": 0.0}), frame)
    )
    return float((now / whole) ** 2)


def _away(ends: Segments, up: NDArray[np.float64], focal_px: float) -> NDArray[np.float64]:
    """Degrees between each edge and the way to the vanishing point of ``up`` at its middle."""
    middles = ends.mean(axis=1) / focal_px
    toward = up[:2] - middles * up[2]
    along = ends[:, 1] - ends[:, 0]
    crossed = np.abs(toward[:, 0] * along[:, 1] - toward[:, 1] * along[:, 0])
    size = np.linalg.norm(toward, axis=1) * np.linalg.norm(along, axis=1) + 1e-12
    return np.asarray(np.rad2deg(np.arcsin(np.clip(crossed / size, 0, 1))))


def _common(
    ends: Segments, lengths: NDArray[np.float64], focal_px: float, long_side: int
) -> NDArray[np.float64] | None:
    """The direction that most of the edges' length shares."""
    planes = normals(ends, focal_px)
    chance = np.minimum(lengths, 0.3 * long_side)
    generator = np.random.default_rng(_SEED)
    best, most = None, -1.0
    least_up = math.cos(math.radians(_STEEPEST))
    for _ in range(_TRIES):
        one, other = generator.choice(len(ends), 2, replace=False, p=chance / chance.sum())
        up = np.cross(planes[one], planes[other])
        norm = float(np.linalg.norm(up))
        if norm < 1e-6:
            continue
        up = up / norm * (np.sign(up[1]) or 1.0)
        if up[1] < least_up:
            continue
        votes = float((chance * np.exp(-0.5 * (_away(ends, up, focal_px) / 0.5) ** 2)).sum())
        if votes > most:
            best, most = up, votes
    for _ in range(3):
        if best is None:
            break
        weight = lengths * (_away(ends, best, focal_px) < _AGREES)
        if (weight > 0).sum() < 2:
            break
        best = np.linalg.svd(planes * np.sqrt(weight)[:, None])[2][-1]
        best = best * (np.sign(best[1]) or 1.0)
    return best


def _shown(
    found: Segments, ends: Segments, worth: NDArray[np.float64], longest: int
) -> tuple[Line, ...]:
    """Those of the edges that are worth most, far apart from each other, top end first."""
    apart = 0.08 * np.ptp(ends[..., 0])
    chosen: list[int] = []
    spans = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
    worth = np.where(spans >= _SHORTEST_SHOWN * longest, worth, -1.0)
    for place in np.argsort(-worth):
        if worth[place] < 0:
            break
        middle = ends[place].mean(axis=0)[0]
        if all(abs(ends[other].mean(axis=0)[0] - middle) > apart for other in chosen):
            chosen.append(int(place))
        if len(chosen) == _SHOWN:
            break
    if len(chosen) < 2:
        chosen = [int(place) for place in np.argsort(-worth)[:2]]
    return tuple(_line(found[place]) for place in chosen)


def _line(segment: NDArray[np.float64]) -> Line:
    (x, y), (other_x, other_y) = np.clip(segment, 0, 1).round(5).tolist()
    ends = sorted([(x, y), (other_x, other_y)], key=lambda end: end[1])
    return (ends[0], ends[1])
