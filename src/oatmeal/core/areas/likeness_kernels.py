"""Compiled loops of likeness: colours of spots, distances to them, and what hangs together."""

from __future__ import annotations

import math
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.loops import alone, parallel, rows_of, serial
from oatmeal.core.opencv import cv2

_f = np.float32

#: A stroke's core: where its coat is thicker than this.
_CORE: Final = 0.9

Plane = NDArray[np.float32]
Points = NDArray[np.float64]


def models(features: Plane, spots: Points, reach: float, nearest: float) -> Points:
    """Colour of what lies round each spot.

    Parameters
    ----------
    features : float32 (3, h, w)
    spots : float64 (n, 2)
        In cells, x and y.
    reach : float
        Radius in cells.
    nearest : float
        Share of the cells there that count, those nearest to the median.

    Returns
    -------
    float64 (n, 11)
        Place, mean, and the covariance's six numbers.
    """
    rows, columns = features.shape[1:]
    far = math.ceil(reach)
    down, across = np.mgrid[-far : far + 1, -far : far + 1]
    disc = np.stack([down, across])[:, down**2 + across**2 <= reach * reach]
    middles = np.clip(np.rint(spots[:, ::-1]), 0, (rows - 1, columns - 1)).astype(int)
    found = np.empty((len(spots), 11))
    found[:, :2] = spots
    whole = ((middles >= far) & (middles < (rows - far, columns - far))).all(axis=1)
    if whole.any():  # all at once: their discs have the same cells
        found[whole, 2:] = _colours(features, middles[whole], disc, nearest)
    for number in np.flatnonzero(~whole):
        cells = middles[number][:, None] + disc
        inside = ((cells >= 0) & (cells < [[rows], [columns]])).all(axis=0)
        part = _colours(features, middles[number : number + 1], disc[:, inside], nearest)
        found[number, 2:] = part[0]
    return found


def _colours(
    features: Plane, middles: NDArray[np.int_], disc: NDArray[np.int_], nearest: float
) -> Points:
    """Mean and covariance of the cells of a disc round each of n middles, float64 (n, 9)."""
    cells = features[:, middles[:, :1] + disc[0], middles[:, 1:] + disc[1]].astype(np.float64)
    away = ((cells - np.median(cells, axis=2, keepdims=True)) ** 2).sum(axis=0)
    count = max(3, round(nearest * cells.shape[2]))
    order = np.argsort(away, axis=1, kind="stable")[:, :count]
    kept = np.take_along_axis(cells, order[None], axis=2)
    mean = kept.mean(axis=2)
    rest = kept - mean[:, :, None]
    spread = np.einsum("ink,jnk->nij", rest, rest) / kept.shape[2]
    return np.concatenate([mean.T, spread[:, *np.triu_indices(3)]], axis=1)


def inverted(seen: Points, widened: float, tolerance: float) -> Plane:
    """Place, mean, and the inverse of ``widened * covariance + tolerance^2``, float32 (n, 11)."""
    upper = np.triu_indices(3)
    spread = np.empty((len(seen), 3, 3))
    spread[:, upper[0], upper[1]] = spread[:, upper[1], upper[0]] = seen[:, 5:]
    turned = np.linalg.inv(widened * spread + tolerance**2 * np.eye(3))
    return np.concatenate([seen[:, :5], turned[:, upper[0], upper[1]]], axis=1).astype(np.float32)


@parallel
def _alike(chunk, features, models, unlike, low, high, reach, out):  # type: ignore[no-untyped-def]
    scale = _f(1.0) / (high - low)
    other_than, beyond = high * high, reach * reach
    for y in rows_of(chunk, out.shape[0]):
        for x in range(out.shape[1]):
            f0, f1, f2 = features[0, y, x], features[1, y, x], features[2, y, x]
            best, nearest = _f(0.0), _f(1e9)
            for i in range(models.shape[0]):
                dx, dy = _f(x) - models[i, 0], _f(y) - models[i, 1]
                far = dx * dx + dy * dy
                if far >= beyond:
                    continue
                a, b, c = f0 - models[i, 2], f1 - models[i, 3], f2 - models[i, 4]
                square = models[i, 5] * a * a + models[i, 8] * b * b + models[i, 10] * c * c
                square += _f(2.0) * (
                    models[i, 6] * a * b + models[i, 7] * a * c + models[i, 9] * b * c
                )
                square = max(square, _f(0.0))
                nearest = min(nearest, square)
                if square >= other_than:
                    continue
                away = math.sqrt(far) / reach
                t = min(max((math.sqrt(square) - low) * scale, _f(0.0)), _f(1.0))
                like = _f(1.0) - t * t * (_f(3.0) - _f(2.0) * t)
                t = min(max(away * _f(2.0) - _f(1.0), _f(0.0)), _f(1.0))
                best = max(best, like * (_f(1.0) - t * t * (_f(3.0) - _f(2.0) * t)))
            if best > _f(0.0):
                other = _f(1e9)
                for i in range(unlike.shape[0]):
                    a, b, c = f0 - unlike[i, 2], f1 - unlike[i, 3], f2 - unlike[i, 4]
                    square = unlike[i, 5] * a * a + unlike[i, 8] * b * b + unlike[i, 10] * c * c
                    square += _f(2.0) * (
                        unlike[i, 6] * a * b + unlike[i, 7] * a * c + unlike[i, 9] * b * c
                    )
                    other = min(other, max(square, _f(0.0)))
                if other < _f(1e8):
                    share = math.sqrt(other) / (math.sqrt(other) + math.sqrt(nearest) + _f(1e-6))
                    t = min(max((share - _f(0.35)) * _f(1.0 / 0.3), _f(0.0)), _f(1.0))
                    best *= t * t * (_f(3.0) - _f(2.0) * t)
            out[y, x] = best


def alike(
    features: Plane, meant: Plane, unlike: Plane, fade: tuple[float, float], reach: float
) -> Plane:
    """How far each cell looks like one of the spots that are meant, and not like another one.

    Parameters
    ----------
    features : float32 (3, h, w)
    meant, unlike : float32 (n, 11)
        From :func:`inverted`.
    fade : (float, float)
        Distances between which likeness falls from 1 to 0.
    reach : float
        In cells; it fades from half of that on.
    """
    out = np.empty(features.shape[1:], dtype=np.float32)
    _alike(features, meant, unlike, _f(fade[0]), _f(fade[1]), _f(reach), out)
    return out


@alone
@serial
def _reconstructed(found, marker):  # type: ignore[no-untyped-def]
    height, width = found.shape
    moved = True
    while moved:
        moved = False
        for y in range(height):
            for x in range(width):
                best = marker[y, x]
                if x > 0:
                    best = max(best, marker[y, x - 1])
                if y > 0:
                    best = max(best, marker[y - 1, x])
                    if x > 0:
                        best = max(best, marker[y - 1, x - 1])
                    if x < width - 1:
                        best = max(best, marker[y - 1, x + 1])
                best = min(best, found[y, x])
                if best > marker[y, x]:
                    marker[y, x] = best
                    moved = True
        if not moved:
            break
        moved = False
        for y in range(height - 1, -1, -1):
            for x in range(width - 1, -1, -1):
                best = marker[y, x]
                if x < width - 1:
                    best = max(best, marker[y, x + 1])
                if y < height - 1:
                    best = max(best, marker[y + 1, x])
                    if x > 0:
                        best = max(best, marker[y + 1, x - 1])
                    if x < width - 1:
                        best = max(best, marker[y + 1, x + 1])
                best = min(best, found[y, x])
                if best > marker[y, x]:
                    marker[y, x] = best
                    moved = True


def joined(found: Plane, spots: Points) -> Plane:
    """How far each cell hangs together with a spot: the greyscale reconstruction from the spots."""
    marker = np.zeros_like(found)
    rows, columns = found.shape
    for x, y in spots:
        column, row = (
            round(float(np.clip(x, 0, columns - 1))),
            round(float(np.clip(y, 0, rows - 1))),
        )
        near = (slice(max(0, row - 1), row + 2), slice(max(0, column - 1), column + 2))
        marker[near] = found[near]
    _reconstructed(found, marker)
    return marker


def held(
    features: Plane,
    points: Points,
    radius: float,
    widened: float,
    tolerance: float,
    fade: tuple[float, float],
) -> Plane:
    """How far each cell looks like what lies under the middle of a stroke near it.

    Parameters
    ----------
    features : float32 (3, h, w)
    points : float64 (n, 2)
        The stroke in cells; cell i has its middle at i + 0.5.
    radius : float
        Of the stroke, in cells.
    """
    core = _core(features.shape[1:], points, radius)
    side = 2 * max(1, round(radius)) + 1

    def near(plane: Plane) -> Plane:
        once = cv2.boxFilter(plane, -1, (side, side), borderType=cv2.BORDER_CONSTANT)
        return np.asarray(cv2.boxFilter(once, -1, (side, side), borderType=cv2.BORDER_CONSTANT))

    count = near(core) + np.float32(1e-6)
    means = [near(core * one) / count for one in features]
    spread = {
        (i, j): near(core * features[i] * features[j]) / count - means[i] * means[j]
        for i in range(3)
        for j in range(i, 3)
    }
    extra = np.float32(tolerance**2)
    a, b, c = widened * spread[0, 0] + extra, widened * spread[0, 1], widened * spread[0, 2]
    d, e = widened * spread[1, 1] + extra, widened * spread[1, 2]
    g = widened * spread[2, 2] + extra
    one, two, three = d * g - e * e, c * e - b * g, b * e - c * d
    four, five, six = a * g - c * c, b * c - a * e, a * d - b * b
    x, y, z = (own - mean for own, mean in zip(features, means, strict=True))
    square = one * x * x + four * y * y + six * z * z
    square = square + 2 * (two * x * y + three * x * z + five * y * z)
    away = np.sqrt(np.maximum(square / (a * one + b * two + c * three), 0))
    t = np.clip((away - fade[0]) / (fade[1] - fade[0]), 0, 1)
    return np.asarray(1 - t * t * (3 - 2 * t), dtype=np.float32)


def _core(shape: tuple[int, ...], points: Points, radius: float) -> Plane:
    """1 where a soft coat would be thicker than :data:`_CORE`; one cell at the least."""
    far = np.full(shape, 255, np.uint8)
    line = np.round((points - 0.5) * 16).astype(np.int32).reshape(-1, 1, 2)
    cv2.polylines(far, [line if len(line) > 1 else np.repeat(line, 2, axis=0)], False, 0, 1, 8, 4)
    away = cv2.distanceTransform(far, cv2.DIST_L2, 5) / max(radius, 1e-6)
    t = np.clip(away, 0, 1)
    core = (1 - t * t * (3 - 2 * t) > _CORE) | (far == 0)
    return np.asarray(core, dtype=np.float32)


def warm() -> None:
    """Compile, or load from the cache."""
    features = np.zeros((3, 6, 6), dtype=np.float32)
    seen = models(features, np.array([[2.0, 2.0]]), 2.0, 0.6)
    meant = inverted(seen, 3.0, 0.1)
    found = alike(features, meant, meant[:0], (0.7, 1.8), 4.0)
    joined(found, seen[:, :2])
