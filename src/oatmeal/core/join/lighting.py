"""One gain for each frame and one falloff of the lens, from where frames overlap.

References
----------
D. B. Goldman, "Vignette and Exposure Calibration and Compensation", IEEE PAMI 32 (2010): the model;
here its logarithm, which makes it linear.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Final

import cv2
import numpy as np

from oatmeal.core.colour import luminance
from oatmeal.core.join.cameras import Camera, Cameras, squared
from oatmeal.core.join.canvas import Canvas, within
from oatmeal.core.join.frames import Colour, Frame, Mask, Plane, Points
from oatmeal.core.picture import reduced

#: Light that says nothing of a frame's exposure: nearly white, nearly black.
_TOO_LIGHT, _TOO_DARK = 0.9, 0.003

#: Rings of the falloff that are told apart.
_RINGS: Final = 8

#: Stops by which a measure may be off before it counts less (Huber).
_OFF_STOPS: Final = 0.05

#: Squared share of the half diagonal beyond which falloff stays.
_FARTHEST: Final = 1.3


@dataclass(eq=False)
class Coarse:
    """A frame on the coarse canvas.

    Attributes
    ----------
    light : float32 (h, w, 3)
        Linear; mirrored where the frame has no pixels.
    there : bool (h, w)
        Where it has.
    off_middle : float32 (h, w)
        Squared share of the half diagonal.
    """

    light: Colour
    there: Mask
    off_middle: Plane


@dataclass(frozen=True)
class Light:
    """What a frame's light is multiplied by: ``2 ** (stops + near r² + far r⁴)``.

    Attributes
    ----------
    stops : dict of int to float
        Of each frame; the greatest is 0, so that nothing is clipped.
    raised : float
        Stops by which the joined picture came out too dark for that.
    near, far : float
        Of the falloff; r is 1 in the frame's corner.
    """

    stops: dict[int, float]
    raised: float
    near: float = 0.0
    far: float = 0.0

    def factor(self, frame: int, off_middle: Points | Plane) -> Plane:
        """The factor at squared distances from the middle."""
        ring = np.asarray(np.clip(off_middle, 0, _FARTHEST), dtype=np.float64)
        stops = self.stops[frame] + self.near * ring + self.far * ring * ring
        return np.asarray(np.exp2(stops), dtype=np.float32)


def off_middle(camera: Camera, places: Points) -> Points:
    """Squared distance from the frame's middle, 1 in its corner."""
    half = (camera.width / 2) ** 2 + (camera.height / 2) ** 2
    return np.asarray(squared(places - camera.middle)[..., 0] / half)


def coarse(frames: Sequence[Frame], cameras: Cameras, canvas: Canvas) -> dict[int, Coarse]:
    """Every frame on the coarse canvas."""
    rays = canvas.rays(canvas.coarse_places())
    found = {}
    for k, camera in cameras.items():
        frame = frames[k]
        wanted = max(frame.width, frame.height) * camera_share(canvas, camera)
        small = reduced(frame.small, max(16, round(wanted)))
        places = camera.places(rays)
        there = within(camera, places)
        scale = np.array([small.shape[1] / frame.width, small.shape[0] / frame.height])
        # far off places would make mirroring spin
        near = np.clip((places + 0.5) * scale - 0.5, -4096, 32000).astype(np.float32)
        light = cv2.remap(
            small, near[..., 0], near[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
        )
        found[k] = Coarse(
            np.asarray(light, np.float32), there, off_middle(camera, places).astype(np.float32)
        )
    return found


def camera_share(canvas: Canvas, camera: Camera) -> float:
    """Pixels of the coarse canvas for one of the frame, about the middle."""
    return min(1.0, canvas.scale / camera.focal / canvas.reduction)


def evened(copies: dict[int, Coarse], wanted: bool = True) -> Light:
    """The gains and the falloff that overlaps ask for; none where it is not wanted."""
    frames = list(copies)
    at_rest = Light(dict.fromkeys(frames, 0.0), 0.0)
    rows, values, weights = [], [], []
    for (a, k), (b, m) in combinations(enumerate(frames), 2):
        for row, value, weight in _compared(copies[k], copies[m], (a, b), len(frames)):
            rows.append(row)
            values.append(value)
            weights.append(weight)
    if not rows or not wanted:
        return at_rest
    found = _solved(np.array(rows), np.array(values), np.array(weights), len(frames))
    stops = found[: len(frames)]
    near, far = (float(v) for v in found[len(frames) :])
    # falloff is lifted in corners too: what is greatest anywhere must not clip
    corner = max(0.0, near + far)
    most = float(stops.max()) + corner
    return Light({k: float(stops[n] - most) for n, k in enumerate(frames)}, most, near, far)


def _compared(
    one: Coarse, other: Coarse, pair: tuple[int, int], count: int
) -> list[tuple[Points, float, float]]:
    """Differences in stops, as medians over rings of both frames; robust against what moved."""
    both = one.there & other.there
    if both.sum() < 50:
        return []
    mine, theirs = one.light[both], other.light[both]
    dark_one, dark_other = luminance(mine), luminance(theirs)
    fit = (
        (mine.max(axis=-1) < _TOO_LIGHT)
        & (theirs.max(axis=-1) < _TOO_LIGHT)
        & (dark_one > _TOO_DARK)
        & (dark_other > _TOO_DARK)
    )
    if fit.sum() < 50:
        return []
    off = np.log2(dark_other[fit] / dark_one[fit])
    ring_one, ring_other = one.off_middle[both][fit], other.off_middle[both][fit]
    key = np.minimum(ring_one * _RINGS, _RINGS - 1).astype(int) * _RINGS + np.minimum(
        ring_other * _RINGS, _RINGS - 1
    ).astype(int)
    found = []
    for ring in np.unique(key):
        some = key == ring
        if some.sum() < 30:
            continue
        row = np.zeros(count + 2)
        row[pair[0]], row[pair[1]] = 1, -1
        row[-2] = ring_one[some].mean() - ring_other[some].mean()
        row[-1] = (ring_one[some] ** 2).mean() - (ring_other[some] ** 2).mean()
        found.append((row, float(np.median(off[some])), float(np.sqrt(some.sum()))))
    return found


def _solved(rows: Points, values: Points, weights: Points, frames: int) -> Points:
    """Weighted least squares, Huber's loss by reweighting; gains average to nothing."""
    weights = weights / weights.max()
    tied = np.zeros((3, frames + 2))
    tied[0, :frames] = 1
    tied[1, -2] = tied[2, -1] = 0.02
    rest = np.concatenate([tied, 1e-4 * np.eye(frames + 2)])
    trust = np.ones(len(rows))
    found = np.zeros(frames + 2)
    for _ in range(6):
        weight = weights * np.sqrt(trust)
        system = np.concatenate([rows * weight[:, None], rest])
        wanted = np.concatenate([values * weight, np.zeros(len(rest))])
        found = np.linalg.lstsq(system, wanted, rcond=None)[0]
        trust = np.minimum(1, _OFF_STOPS / np.maximum(np.abs(rows @ found - values), 1e-9))
    return found
