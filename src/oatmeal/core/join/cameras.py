"""Where the camera pointed for each frame: rotations, one focal length, one bend of the lens.

References
----------
M. Brown, D. G. Lowe, "Automatic Panoramic Image Stitching using Invariant Features", IJCV 74
(2007); R. Szeliski, H.-Y. Shum, "Creating Full View Panoramic Image Mosaics and Environment Maps",
SIGGRAPH 1997 (focal length from a homography); A. W. Fitzgibbon, "Simultaneous linear estimation of
multiple view geometry and lens distortion", CVPR 2001 (the division model).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Final

import cv2
import numpy as np
import scipy  # its parts are loaded when they are first asked for
from numpy.typing import NDArray

from oatmeal.core.colour import encode_srgb
from oatmeal.core.join.frames import Frame, Points
from oatmeal.core.join.links import Link, Links, tree

#: Matches of a pair that take part in the fit.
_MATCHES: Final = 150

#: Side of the patches by which matches are made finer, and how many a pair has.
_PATCH: Final = 96
_PATCHES: Final = 60

#: A place that no frame has.
NOWHERE: Final = -1e6


@dataclass(frozen=True, eq=False)
class Camera:
    """How one frame was taken.

    Attributes
    ----------
    rotation : float64 (3, 3)
        From the camera's axes (x right, y down, z ahead) to the world's.
    focal : float
        Pixels.
    bend : float
        Of the division model: undistorted = distorted / (1 + bend r²), r in focal lengths.
    middle : float64 (2,)
    width, height : int
    """

    rotation: Points
    focal: float
    bend: float
    middle: Points
    width: int
    height: int

    def rays(self, places: Points) -> Points:
        """Directions ``(..., 3)`` in the world of places ``(..., 2)`` in the frame's pixels."""
        flat = straightened((places - self.middle) / self.focal, self.bend)
        ahead = np.concatenate([flat, np.ones_like(flat[..., :1])], axis=-1)
        return np.asarray(ahead @ self.rotation.T)

    def places(self, rays: Points) -> Points:
        """The other way; :data:`NOWHERE` for what lies behind."""
        own = rays @ self.rotation
        depth = own[..., 2:]
        flat = own[..., :2] / np.where(np.abs(depth) < 1e-9, 1e-9, depth)
        found: Points = np.asarray(bent(flat, self.bend) * self.focal + self.middle)
        found[(depth <= 0.05 * np.sqrt(squared(rays)))[..., 0]] = NOWHERE
        return found

    def edge(self, count: int = 40) -> Points:
        """Places round the frame's edge."""
        x = np.linspace(-0.5, self.width - 0.5, count)
        y = np.linspace(-0.5, self.height - 0.5, count)
        sides = (
            (x, np.full(count, -0.5)),
            (x, np.full(count, self.height - 0.5)),
            (np.full(count, -0.5), y),
            (np.full(count, self.width - 0.5), y),
        )
        return np.concatenate([np.stack(side, axis=1) for side in sides])

    def turned(self, turn: Points) -> Camera:
        """In a world that is turned."""
        return replace(self, rotation=turn @ self.rotation)


Cameras = dict[int, Camera]


@dataclass(frozen=True)
class Fit:
    """How well the cameras explain the matches, in pixels of the small copies."""

    rms: float
    median: float
    focal: float
    bend: float


def squared(vectors: Points) -> Points:
    """Squared lengths ``(..., 1)`` of vectors ``(..., n)``; NumPy's sum over so few is slow."""
    total = vectors[..., :1] ** 2
    for axis in range(1, vectors.shape[-1]):
        total += vectors[..., axis : axis + 1] ** 2
    return total


def straightened(bent_places: Points, bend: float) -> Points:
    """The division model, in focal lengths from the middle."""
    return np.asarray(bent_places / (1 + bend * squared(bent_places)))


def bent(straight: Points, bend: float) -> Points:
    """The inverse of :func:`straightened`; beyond where that turns back, at its edge's factor."""
    out = squared(straight)
    # the root's difference from 1 has no digits left where the bend is small, its sum has all
    return np.asarray(straight * (2 / (1 + np.sqrt(np.maximum(1 - 4 * bend * out, 0)))))


def rotation_of(vector: Points) -> Points:
    """The rotation about a vector by its length (Rodrigues)."""
    return np.asarray(cv2.Rodrigues(np.asarray(vector, dtype=np.float64))[0])


def _focals(homography: Points) -> list[float]:
    """Focal lengths that a homography about the middles allows (Szeliski, Shum)."""
    h = homography.ravel() / homography[2, 2]
    d1, d2 = h[6] * h[7], (h[7] - h[6]) * (h[7] + h[6])
    one = -(h[0] * h[1] + h[3] * h[4]) / d1 if d1 else -1.0
    two = (h[0] ** 2 + h[3] ** 2 - h[1] ** 2 - h[4] ** 2) / d2 if d2 else -1.0
    if one < two:
        one, two = two, one
    if one > 0 and two > 0:
        return [float(np.sqrt(one if abs(d1) > abs(d2) else two))]
    return [float(np.sqrt(one))] if one > 0 else []


def first_cameras(frames: Sequence[Frame], found: Links, group: list[int]) -> Cameras:
    """Rotations from the links' homographies along their strongest tree."""
    about = {}
    for (i, j), link in found.items():
        to, back = np.eye(3), np.eye(3)
        to[:2, 2], back[:2, 2] = frames[i].middle, -frames[j].middle
        about[i, j] = back @ link.homography @ to
    longest = max(max(frames[k].width, frames[k].height) for k in group)
    likely = [f for h in about.values() for f in _focals(h) if 0.4 * longest < f < 12 * longest]
    focal = float(np.median(likely)) if likely else 1.3 * longest
    lens = np.diag([focal, focal, 1.0])
    rotations = {group[0]: np.eye(3)}
    todo = tree({pair: link for pair, link in found.items() if pair[0] in group})
    while todo:
        left = []
        for i, j in todo:
            if (i in rotations) == (j in rotations):
                left.append((i, j))
                continue
            turn = np.linalg.inv(lens) @ about[i, j] @ lens
            u, _, v = np.linalg.svd(turn / np.cbrt(np.linalg.det(turn)))
            turn = u @ v
            if i in rotations:
                rotations[j] = rotations[i] @ turn.T
            else:
                rotations[i] = rotations[j] @ turn
        todo = left
    return {
        k: Camera(rotations[k], focal, 0.0, frames[k].middle, frames[k].width, frames[k].height)
        for k in group
    }


def adjusted(
    frames: Sequence[Frame], found: Links, cameras: Cameras, *, lens: bool = True, seed: int = 0
) -> tuple[Cameras, Fit]:
    """Rotations, focal length and bend that bring matches together best, all at once."""
    group = list(cameras)
    place = {k: n for n, k in enumerate(group)}
    chance = np.random.default_rng(seed)
    of, to, here, there = [], [], [], []
    for (i, j), link in found.items():
        if i not in place or j not in place:
            continue
        some = np.arange(link.count)
        if link.count > _MATCHES:
            some = chance.choice(link.count, _MATCHES, replace=False)
        for a, b, p, q in ((i, j, link.one, link.other), (j, i, link.other, link.one)):
            of.append(np.full(len(some), place[a]))
            to.append(np.full(len(some), place[b]))
            here.append(p[some])
            there.append(q[some])
    first, second = np.concatenate(of), np.concatenate(to)
    p, q = np.concatenate(here), np.concatenate(there)
    middles = np.array([frames[k].middle for k in group])
    scales = np.array([frames[k].scale for k in group])[second][:, None]
    begun = [cameras[k].rotation for k in group]
    focal = cameras[group[0]].focal
    bend = cameras[group[0]].bend
    count = 3 * (len(group) - 1)

    def unpacked(x: Points) -> tuple[Points, float, float]:
        turned = [
            begun[n] @ rotation_of(x[3 * n - 3 : 3 * n]) if n else begun[0]
            for n in range(len(group))
        ]
        return np.array(turned), focal * float(np.exp(x[count])), float(x[count + 1])

    def errors(x: Points) -> Points:
        turned, length, curve = unpacked(x)
        flat = straightened((p - middles[first]) / length, curve)
        ahead = np.concatenate([flat, np.ones((len(flat), 1))], axis=1)
        world = np.einsum("nij,nj->ni", turned[first], ahead)
        own = np.einsum("nji,nj->ni", turned[second], world)
        seen = bent(own[:, :2] / np.maximum(own[:, 2:], 0.05), curve) * length + middles[second]
        return np.asarray((seen - q) * scales)

    start = np.zeros(count + 2)
    start[-1] = bend
    free = np.ones(len(start), dtype=bool)
    free[-1] = lens

    def whole(y: Points) -> Points:
        x = start.copy()
        x[free] = y
        return x

    solved = scipy.optimize.least_squares(
        lambda y: errors(whole(y)).ravel(), start[free], loss="soft_l1", f_scale=1.0,
        x_scale="jac", max_nfev=60,
    )  # fmt: skip
    turned, length, curve = unpacked(whole(solved.x))
    off = np.hypot(*errors(whole(solved.x)).T)
    fitted = {
        k: replace(cameras[k], rotation=turned[n], focal=length, bend=curve)
        for k, n in place.items()
    }
    rms = float(np.sqrt(np.mean(np.minimum(off, 20.0) ** 2)))
    return fitted, Fit(rms, float(np.median(off)), length, curve)


def agreeing(frames: Sequence[Frame], found: Links, cameras: Cameras, most_px: float) -> Links:
    """The links that the cameras explain to within some pixels of the small copies (medians).

    What repeats in a view can make a pair look true that is not; the others outvote it.
    """
    kept = {}
    for (i, j), link in found.items():
        if i in cameras and j in cameras:
            seen = cameras[j].places(cameras[i].rays(link.one))
            off = np.hypot(*(seen - link.other).T) * frames[j].scale
            if float(np.median(off)) <= most_px:
                kept[i, j] = link
    return kept


def refined(frames: Sequence[Frame], cameras: Cameras, found: Links, seed: int = 0) -> Links:
    """Links made anew from patches at full size: phase correlation at places of matches."""
    chance = np.random.default_rng(seed)
    window = cv2.createHanningWindow((_PATCH, _PATCH), cv2.CV_32F)
    finer: Links = {}
    for (i, j), link in found.items():
        if i not in cameras or j not in cameras:
            continue
        pairs = _patched(
            (frames[i], frames[j]), (cameras[i], cameras[j]), link, window,
            chance.permutation(link.count),
        )  # fmt: skip
        if len(pairs) >= 6:
            one, other = (np.array(side) for side in zip(*pairs, strict=True))
            finer[i, j] = replace(link, one=one, other=other)
    return finer


def _patched(
    frames: tuple[Frame, Frame],
    cameras: tuple[Camera, Camera],
    link: Link,
    window: NDArray[Any],
    some: NDArray[np.int64],
) -> list[tuple[Points, Points]]:
    """Pairs of places, one in each cell of a coarse grid over the overlap."""
    one, other = frames
    cell = max(other.width, other.height) / 16
    cells: set[tuple[int, ...]] = set()
    pairs: list[tuple[Points, Points]] = []
    for index in some:
        at = np.round(link.other[index])
        corner = (at - _PATCH / 2).astype(int)
        key = tuple((at // cell).astype(int))
        beyond = (corner + _PATCH > [other.width, other.height]).any()
        if key in cells or (corner < 0).any() or beyond:
            continue
        cells.add(key)
        x, y = (int(v) for v in corner)
        grid = np.stack(
            np.meshgrid(np.arange(x, x + _PATCH), np.arange(y, y + _PATCH)), axis=-1
        ).astype(np.float64)
        mapped = cameras[0].places(cameras[1].rays(grid))
        low = np.floor(mapped.reshape(-1, 2).min(axis=0)).astype(int) - 3
        high = np.ceil(mapped.reshape(-1, 2).max(axis=0)).astype(int) + 4
        if (low < 0).any() or (high > [one.width, one.height]).any():
            continue
        theirs = _grey(one, int(low[0]), int(low[1]), *(int(v) for v in high - low))
        own = _grey(other, x, y, _PATCH, _PATCH)
        local = (mapped - low).astype(np.float32)
        warped = cv2.remap(theirs, local[..., 0], local[..., 1], cv2.INTER_CUBIC)
        if min(float(warped.std()), float(own.std())) < 0.01:
            continue
        (dx, dy), certain = cv2.phaseCorrelate(
            own - own.mean(), warped - warped.mean(), window.astype(np.float32)
        )
        if certain < 0.25 or np.hypot(dx, dy) > _PATCH / 6:
            continue
        middle = np.array([x, y]) + (_PATCH - 1) / 2
        moved = cameras[0].places(cameras[1].rays((middle + np.array([dx, dy]))[None]))[0]
        pairs.append((moved, middle))
        if len(pairs) >= _PATCHES:
            break
    return pairs


def _grey(frame: Frame, x: int, y: int, width: int, height: int) -> Points:
    """Encoded green, which has the least noise."""
    green = frame.picture.linear(x, y, width, height)[..., 1]
    return np.ascontiguousarray(encode_srgb(np.clip(green, 0, 1)), dtype=np.float32)
