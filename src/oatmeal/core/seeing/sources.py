"""Where a spot is healed from: the place nearby whose surroundings are most alike.

Both places' borders are compared; an even difference between them hardly counts, since healing
carries it. The search begins on a reduced picture and is made exact on the picture's own pixels.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import kernels
from oatmeal.core.picture import Rectangle
from oatmeal.core.prepare.spots import Healing, Laid

#: How far is looked, in radii, and how wide the border is that is compared.
REACH: Final = 8.0
_BORDER: Final = 0.5
_LEAST_BORDER: Final = 3.0
_NEAREST: Final = 2.0

#: How much of an even difference is forgiven.
_FORGIVEN: Final = 0.9

#: The coarse search is done where the radius has this many pixels; so many of its best places are
#: looked at again.
_COARSE_RADIUS: Final = 8.0
_KEPT: Final = 6

#: What a source hides inside counts by this share, beyond so many times the border's unevenness.
_HIDDEN: Final = 0.5
_USUAL: Final = 1.5

#: What a place as far as one radius costs, as a squared difference of encoded values: of two that
#: are alike the nearer one is taken.
_FAR: Final = 1e-5

#: Pixels of a side that a search covers at about the most.
_MOST_SIDE: Final = 4000

Costs = NDArray[np.float32]


def find_source(
    work: Healing,
    spot: Laid,
    size: tuple[int, int],
    allowed: Callable[[int, int], bool] = lambda x, y: True,
) -> tuple[int, int] | None:
    """The way from a spot to where it is best healed from, in pixels, x and y.

    Parameters
    ----------
    work : Healing
        Reads the picture, with the other spots painted over.
    spot : Laid
        Its source does not matter.
    size : (width, height)
        Of the picture.
    allowed : callable
        Whether a way may be taken, such as one that stays in the frame.

    Returns
    -------
    (int, int) or None
        None where no place is left beside it.
    """
    border = max(_LEAST_BORDER, _BORDER * spot.radius)
    beyond = spot.radius + border
    low = np.floor(spot.points.min(axis=0) - beyond).astype(int)
    high = np.ceil(spot.points.max(axis=0) + beyond).astype(int)
    around = _clipped((*low, *high), size)
    reach = min(REACH * spot.radius + border, (_MOST_SIDE - max(around[2:])) / 2)
    reach = int(np.ceil(max(reach, 2.5 * spot.radius + border)))
    near = _clipped((*(low - reach), *(high + reach)), size)
    light = work.read(near, len(work.spots))
    channels = (np.ascontiguousarray(light[..., channel]) for channel in range(3))
    seen = np.stack([kernels.encoded(plane) for plane in channels], axis=-1)
    mask = _masks(spot, around, border)
    if not mask[..., 2].any():
        return None
    begin = around[0] - near[0], around[1] - near[1]
    target = seen[begin[1] : begin[1] + around[3], begin[0] : begin[0] + around[2]]
    step = max(1, int(spot.radius / _COARSE_RADIUS))
    coarse = _costs(_small(seen, step), _small(target, step), _small(mask, step))
    places = [way for way in _ways(coarse, begin, step, spot).tolist() if allowed(*way)]
    best: tuple[float, tuple[int, int]] | None = None
    for x, y in places[:_KEPT]:
        found = _exact(seen, target, mask, (x, y), begin, step, spot)
        if found is not None and (best is None or found[0] < best[0]):
            best = found
    return None if best is None else best[1]


def _clipped(edges: Any, size: tuple[int, int]) -> Rectangle:
    left, top = max(0, int(edges[0])), max(0, int(edges[1]))
    right, bottom = min(size[0], int(edges[2])), min(size[1], int(edges[3]))
    return left, top, max(1, right - left), max(1, bottom - top)


def _masks(spot: Laid, around: Rectangle, width: float) -> Costs:
    """The border that is compared, the inside, and the nearest border, ``(height, width, 3)``."""
    distance = spot.distance(around)
    end = spot.radius
    border = (distance > end) & (distance <= end + width)
    nearest = (distance > end) & (distance <= end + _NEAREST)
    return np.stack([border, distance <= end, nearest], axis=-1).astype(np.float32)


def _small(plane: Costs, step: int) -> Costs:
    if step == 1:
        return plane
    height, width = plane.shape[0] // step, plane.shape[1] // step
    size = (max(1, width), max(1, height))
    return np.asarray(cv2.resize(plane, size, interpolation=cv2.INTER_AREA))


def _costs(seen: Costs, target: Costs, masks: Costs) -> Costs:
    """What each place costs, a pixel and channel: how its border differs, and what it hides.

    A border that agrees may lie round something that is nowhere in the target's border.
    """
    border = np.ascontiguousarray(masks[..., 0])
    inside = np.ascontiguousarray(masks[..., 1])
    nearest = masks[..., 2]
    count, covered = max(float(border.sum()), 1e-6), max(float(inside.sum()), 1e-6)
    total: Any = 0.0
    for channel in range(3):
        there = np.ascontiguousarray(seen[..., channel])
        squared = there * there
        here = target[..., channel] * border
        own = float((here * target[..., channel]).sum())
        uneven = float(np.average(target[..., channel] ** 2, weights=nearest))
        uneven -= float(np.average(target[..., channel], weights=nearest)) ** 2
        product = cv2.matchTemplate(there, here, cv2.TM_CCORR)
        square = cv2.matchTemplate(squared, border, cv2.TM_CCORR)
        mean = cv2.matchTemplate(there, border, cv2.TM_CCORR) / count
        even = mean - float(here.sum()) / count
        off = (square - 2 * product + own) / count - _FORGIVEN * even * even
        within = cv2.matchTemplate(there, inside, cv2.TM_CCORR) / covered
        hidden: Any = cv2.matchTemplate(squared, inside, cv2.TM_CCORR) / covered
        hidden = hidden + mean * (mean - 2 * within)
        total = total + np.maximum(off, 0) + _HIDDEN * np.maximum(hidden - _USUAL * uneven, 0)
    return np.asarray(total / 3, dtype=np.float32)


def _ways(costs: Costs, begin: tuple[int, int], step: int, spot: Laid) -> NDArray[np.int64]:
    """Ways to the best places of a coarse search, in whole pixels, the best first."""
    rows, columns = np.indices(costs.shape)
    across, down = columns * step - begin[0], rows * step - begin[1]
    cost = costs + _FAR * np.hypot(across, down) / spot.radius
    cost = np.where(_apart(across, down, spot), cost, np.inf)
    order = np.argsort(cost, axis=None, kind="stable")[: 40 * _KEPT]
    chosen: list[tuple[int, int]] = []
    for place in order:
        if not np.isfinite(cost.flat[place]):
            break
        way = int(across.flat[place]), int(down.flat[place])
        if all(max(abs(way[0] - x), abs(way[1] - y)) > 2 * step for x, y in chosen):
            chosen.append(way)
    return np.array(chosen, dtype=np.int64).reshape(-1, 2)


def _apart(across: Any, down: Any, spot: Laid) -> Any:
    """Where a source does not touch the spot itself."""
    least = 2 * spot.radius + 2
    if len(spot.points) == 1:
        return across**2 + down**2 >= least**2
    return _path_apart(across, down, spot.points, least)


def _path_apart(across: Any, down: Any, points: NDArray[np.float64], least: float) -> Any:
    """The same of a path: none of its places may come near another one once it is moved."""
    some = points[np.unique(np.linspace(0, len(points) - 1, 24).round().astype(int))]
    apart = np.ones(np.shape(across), dtype=bool)
    for one in some:
        for other in some:
            x, y = across + one[0] - other[0], down + one[1] - other[1]
            apart &= x * x + y * y >= least**2
    return apart


def _exact(
    seen: Costs, target: Costs, mask: Costs, way: tuple[int, int], begin: tuple[int, int],
    step: int, spot: Laid,
) -> tuple[float, tuple[int, int]] | None:  # fmt: skip
    """The best place within a step of a coarse one, and what it costs."""
    height, width = mask.shape[:2]
    left, top = begin[0] + int(way[0]) - step - 1, begin[1] + int(way[1]) - step - 1
    from_x, from_y = max(0, left), max(0, top)
    to_x = min(seen.shape[1], left + width + 2 * step + 2)
    to_y = min(seen.shape[0], top + height + 2 * step + 2)
    if to_x - from_x < width or to_y - from_y < height:
        return None
    costs = _costs(seen[from_y:to_y, from_x:to_x], target, mask)
    rows, columns = np.indices(costs.shape)
    across, down = columns + from_x - begin[0], rows + from_y - begin[1]
    cost = costs + _FAR * np.hypot(across, down) / spot.radius
    cost = np.where(_apart(across, down, spot), cost, np.inf)
    place = int(np.argmin(cost))
    if not np.isfinite(cost.flat[place]):
        return None
    return float(cost.flat[place]), (int(across.flat[place]), int(down.flat[place]))
